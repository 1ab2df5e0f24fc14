import type { Estate } from '../model/estate.ts';
import { counted } from '../words/amounts.ts';

/** Why a cluster is not without hosts of its own, and what comes first; undefined: nothing of it runs, and nothing of it lies on drives. */
export function standsOn(estate: Estate, name: string): { refused: string; remedy: string } | undefined {
  const hosts = estate.hosts.filter((h) => h.held?.charter === name);
  const serving = hosts.filter((h) => h.state === 'serving').length;
  if (serving)
    return {
      refused: `${counted(serving, 'host')} ${serving === 1 ? 'serves' : 'serve'} ${name}.`,
      remedy: 'Take the cluster down first.',
    };
  const installed = hosts.filter((h) => h.held?.installed).length;
  if (installed)
    return {
      refused: `${counted(installed, 'host')} of ${name} ${installed === 1 ? 'is' : 'are'} not wiped.`,
      remedy: 'Give the hosts back first.',
    };
  return undefined;
}
