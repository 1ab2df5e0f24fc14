export { type Built, type Known, type Move, type Stage, stages } from './move.ts';
export * from './next-moves.ts';
export * from './place.ts';
