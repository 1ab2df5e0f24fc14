export * from './ends.ts';
export * from './graph.ts';
export * from './prefix-trie.ts';
export * from './trace.ts';
