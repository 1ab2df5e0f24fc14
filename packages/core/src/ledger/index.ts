export * from './choose.ts';
export * from './csv.ts';
export * from './dhcp.ts';
