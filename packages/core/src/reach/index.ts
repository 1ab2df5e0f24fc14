export * from './cluster.ts';
export * from './ends.ts';
export * from './announce.ts';
export * from './graph.ts';
export * from './rules.ts';
export * from './someone.ts';
export * from './prefix-trie.ts';
export * from './trace.ts';
