import type { Charter, Reservation } from '../model/documents.ts';

/** What the reservation of a published service is for. */
export const serviceUse = (s: { namespace: string; name: string }): string => `service ${s.namespace}/${s.name}`;

/** The service (namespace/name) that an address is kept for and that its cluster does not plan any more; undefined: it is kept for something else, or planned. */
export function unplannedService(r: Reservation, charter: Charter | undefined): string | undefined {
  const use = r.owner.use ?? '';
  if (r.owner.kind !== 'charter' || !use.startsWith('service ')) return undefined;
  return charter?.servicePool?.services?.some((planned) => use === serviceUse(planned))
    ? undefined
    : use.slice('service '.length);
}
