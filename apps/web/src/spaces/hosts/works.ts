import type { Outcomes, Work, WorkBegun } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { api } from '../../api/client.ts';
import { useCall } from '../../state/call.ts';

export type WorkDto = Work;
export const useWorks = () =>
  useQuery({ queryKey: ['works'], queryFn: async () => (await api<{ works: Work[] }>('GET', '/api/hosts/works')).works });

const first = (list: WorkBegun['refused']) =>
  list.length
    ? `; not ${list
        .map((r) => `${r.host} (${r.why})`)
        .slice(0, 2)
        .join(', ')}${list.length > 2 ? ` and ${list.length - 2} more` : ''}`
    : '';
/** Work on several hosts: what was begun, and each host that was refused with the reason. */
export const useBeginWork = () =>
  useCall<WorkBegun, { kind: string; hosts: string[]; asked?: Record<string, string | boolean> }>(
    (body) => ({ method: 'POST', path: '/api/hosts/works', body }),
    (r) =>
      r.work ? `${r.work.title}: begun${first(r.refused)}.` : `Nothing was begun: ${r.refused[0]?.host}: ${r.refused[0]?.why}.`,
    [['works'], ['host']],
  );
export const useStopWork = () =>
  useCall<object, number>((id) => ({ method: 'POST', path: `/api/hosts/works/${id}/stop` }), '', [['works'], ['host']]);
/** Goes on with the hosts of which it failed or was stopped. */
export const useResumeWork = () =>
  useCall<object, number>((id) => ({ method: 'POST', path: `/api/hosts/works/${id}/resume` }), '', [['works'], ['host']]);

/** A change of state of many hosts; each by itself. */
export const useStateAct = () =>
  useCall<Outcomes, { act: string; hosts: string[] }>(
    (body) => ({ method: 'POST', path: '/api/hosts/acts', body }),
    (r) => {
      const done = r.outcomes.filter((o) => !o.refused);
      const not = r.outcomes.filter((o) => o.refused);
      return `${done.length ? `${counted(done.length, 'host')} ${done[0]?.state}` : 'None'}${first(not.map((o) => ({ host: o.host, why: o.refused ?? '' })))}.`;
    },
    [['estate'], ['host']],
  );
