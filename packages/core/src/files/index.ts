export { layOutMedia, type BootMedia, type MediaFile } from './boot-media.ts';
export { type BootProgram, layOut } from './boot-program.ts';
export * from './kit.ts';
export { lacksOf, type Need, needsOf, SystemContents, systemNeeds } from './system.ts';
export * from './write.ts';
export { imagesOf } from './writers/boot-script.ts';
export { kernelLine, type StartsFrom } from './writers/ipxe.ts';
export { adminAccess, kubeconfigText } from './writers/kubeconfig.ts';
export { clusterObjects, networkAgents, programsOf } from './writers/manifests.ts';
