import { tsImport } from 'tsx/esm/api';

// A thread begins without the loader of its process: it brings it along, and then the work.
await tsImport('./worker.ts', import.meta.url);
