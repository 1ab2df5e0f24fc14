export * from './draft.ts';
export * from './kubeconfig.ts';
