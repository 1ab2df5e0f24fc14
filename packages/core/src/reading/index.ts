export { sameValue } from './cells.ts';
export type { GroupOf, Shelved, ShelfName } from './shelves.ts';
export { type Spoken, spokenBy } from './speaks.ts';
export { View, viewOf } from './view.ts';
export { estateAt, readAs } from './at.ts';
