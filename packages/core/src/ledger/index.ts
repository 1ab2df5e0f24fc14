export * from './choose.ts';
export * from './spoken-for.ts';
export * from './csv.ts';
export * from './dhcp.ts';
export * from './reshape.ts';
export * from './left-over.ts';
export * from './host-of.ts';
