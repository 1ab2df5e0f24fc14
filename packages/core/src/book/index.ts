export * from './book.ts';
export * from './html.ts';
