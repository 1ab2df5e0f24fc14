import type { PublishedDocument } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import type { Estate } from '@praesidor/core/model';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';

const says = { new: 'not declared here', same: 'as it is declared here', differs: 'differs from what is declared here' };

/** Releases and add-ons that a source publishes as documents: held against the estate, and taken in. */
export function PublishedDialog({ estate, onClose }: { estate: Estate; onClose: () => void }) {
  const sources = estate.registries.filter((r) => r.role === 'source');
  const [source, setSource] = useState(sources[0]?.name ?? '');
  const [wanted, setWanted] = useState<string[]>();
  const asked = useQuery({
    queryKey: ['published', source],
    queryFn: () => api<{ published: PublishedDocument[]; faults: string[] }>('GET', `/api/registries/${source}/published`),
    enabled: source !== '',
    retry: false,
  });
  const published = asked.data?.published ?? [];
  // What is new is what somebody came for; what differs is changed only when that is said.
  const chosen = wanted ?? published.filter((o) => o.state === 'new').map((o) => o.name);
  const take = useCall<{ taken: string[]; act: number }>(
    () => ({ method: 'POST', path: `/api/registries/${source}/published`, body: { names: chosen } }),
    (r) => `${r.taken.join(', ')}: declared; ${r.taken.length === 1 ? 'its bill is' : 'their bills are'} being walked.`,
    [['estate'], ['published'], ['acts']],
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title="Take in releases"
      about="A source publishes documents beside its images: what a release or an add-on is made of."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!chosen.length || take.isPending}
            onClick={() => take.mutate(undefined, { onSuccess: onClose })}
          >
            {chosen.length ? `Declare ${chosen.length}` : 'Declare'}
          </Button>
        </>
      }
      same={take.call}
    >
      {!sources.length ? (
        <p>
          No source registry is declared. Begin with one under{' '}
          <Link className="font-semibold text-verdigris" to="/declare">
            Declare
          </Link>
          : its name, endpoint and certificate authority.
        </p>
      ) : (
        <label className="mb-2 flex items-baseline gap-3">
          <span className="text-ink-2">From</span>
          <select
            value={source}
            onChange={(e) => {
              setSource(e.target.value);
              setWanted(undefined);
            }}
            className="border border-rule-2 bg-leaf px-2 py-1"
          >
            {sources.map((r) => (
              <option key={r.name} value={r.name}>
                {r.name}, {r.endpoint}
              </option>
            ))}
          </select>
        </label>
      )}
      {asked.isFetching && !asked.data && <p className="text-ink-2">reading what it publishes…</p>}
      <Refused error={asked.error ?? take.error} />
      {published.map((o) => (
        <label key={o.name} className="grid grid-cols-[20px_150px_1fr_auto] items-baseline gap-2 border-rule border-b py-1.5">
          <input
            type="checkbox"
            disabled={o.state === 'same'}
            checked={chosen.includes(o.name)}
            onChange={(e) => setWanted(e.target.checked ? [...chosen, o.name] : chosen.filter((n) => n !== o.name))}
          />
          <span>
            <b>{o.name}</b> {o.name === o.version ? '' : o.version}
          </span>
          <span className="text-ink-2">
            {o.kind === 'Release' ? 'release' : 'add-on'}, {counted(o.components, 'component')}
          </span>
          <span className={`flex items-center gap-1.5 ${o.state === 'differs' ? 'text-ochre' : ''}`}>
            <Mark kind={o.state === 'same' ? 'done' : o.state === 'new' ? 'free' : 'hatched'} />
            {says[o.state]}
          </span>
        </label>
      ))}
      {asked.data?.faults.map((f) => (
        <p key={f} className="pt-1.5 text-brick">
          {f}
        </p>
      ))}
    </Dialog>
  );
}
