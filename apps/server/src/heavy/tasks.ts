import { readCsv } from '@praesidor/core/ledger';
import type { Network, Reservation } from '@praesidor/core/model';

/** What is computed away from the event loop, by name: pure functions of what is sent along. A new one is a line. */
export const tasks = {
  readCsv: ({
    text,
    networks,
    standing,
    domains,
  }: {
    text: string;
    networks: Network[];
    standing: Reservation[];
    domains: Record<string, string>;
  }) => readCsv(text, networks, standing, (n) => domains[n.site] ?? ''),
};
export type Tasks = typeof tasks;
export type TaskName = keyof Tasks;
