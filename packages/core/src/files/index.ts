export * from './kit.ts';
export * from './write.ts';
export { imagesOf } from './writers/boot-script.ts';
export { adminAccess, kubeconfigText } from './writers/kubeconfig.ts';
export { clusterObjects } from './writers/manifests.ts';
