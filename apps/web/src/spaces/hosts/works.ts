import { useQuery } from '@tanstack/react-query';
import { api } from '../../api/client.ts';
import { useAct } from '../../state/act.ts';

export interface WorkDto {
  id: number;
  kind: string;
  site: string;
  title: string;
  items: {
    host: string;
    state: 'waiting' | 'running' | 'done' | 'failed' | 'stopped';
    percent: number;
    text: string;
    remedy?: string;
  }[];
  state: 'running' | 'stopping' | 'done' | 'failed' | 'stopped';
  createdAt: string;
  createdBy: string;
  endedAt: string | null;
}
export const useWorks = () =>
  useQuery({ queryKey: ['works'], queryFn: async () => (await api<{ works: WorkDto[] }>('GET', '/api/hosts/works')).works });

export interface Begun {
  work?: WorkDto;
  refused: { host: string; why: string }[];
}
const first = (list: Begun['refused']) =>
  list.length
    ? `; not ${list
        .map((r) => `${r.host} (${r.why})`)
        .slice(0, 2)
        .join(', ')}${list.length > 2 ? ` and ${list.length - 2} more` : ''}`
    : '';
/** Work on several hosts: what was begun, and each host that was refused with the reason. */
export const useBeginWork = () =>
  useAct(
    (v: { kind: string; hosts: string[]; asked?: Record<string, string | boolean> }) => api<Begun>('POST', '/api/hosts/works', v),
    (r) =>
      r.work ? `${r.work.title}: begun${first(r.refused)}.` : `Nothing was begun: ${r.refused[0]?.host}: ${r.refused[0]?.why}.`,
    [['works'], ['host']],
  );
export const useStopWork = () =>
  useAct((id: number) => api('POST', `/api/hosts/works/${id}/stop`), 'Stopping after what is under way.', [['works']]);

export interface Outcomes {
  outcomes: { host: string; state?: string; refused?: string }[];
  act?: number;
}
/** A change of state of many hosts; each by itself. */
export const useStateAct = () =>
  useAct(
    (v: { act: string; hosts: string[] }) => api<Outcomes>('POST', '/api/hosts/acts', v),
    (r) => {
      const done = r.outcomes.filter((o) => !o.refused);
      const not = r.outcomes.filter((o) => o.refused);
      return `${done.length ? `${done.length} ${done.length === 1 ? 'host' : 'hosts'} ${done[0]?.state}` : 'None'}${first(not.map((o) => ({ host: o.host, why: o.refused ?? '' })))}.`;
    },
    [['estate'], ['host']],
  );
