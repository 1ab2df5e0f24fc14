export * from './absences.ts';
export * from './cases.ts';
export * from './room.ts';
export * from './rows.ts';
export * from './simulate.ts';
export * from './tried.ts';
export * from './what-matters.ts';
