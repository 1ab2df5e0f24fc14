import type { Bundle, BundleBrought, OtherInstallation, OtherInstallations } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, upload } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useAct } from '../../state/act.ts';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { SubNav } from '../estate/SubNav.tsx';
import { AddInstallation } from '../images/Installations.tsx';

const renew = [['installations'], ['estate']];
export const useInstallations = () =>
  useQuery({ queryKey: ['installations', 'exchange'], queryFn: () => api<OtherInstallations>('GET', '/api/installations') });

/** Other installations: where each stands, of when the last is that is known of it, what waits to be taken in, and what was done there. */
export function InstallationsSpace() {
  const { site } = useScope();
  const navigate = useNavigate();
  const leave = useMay();
  const list = useInstallations();
  const [adding, setAdding] = useState(false);
  const [placing, setPlacing] = useState<OtherInstallation>();
  const make = useCall<{ id: number; number: number }, string>(
    (name) => ({ method: 'POST', path: `/api/installations/${encodeURIComponent(name)}/bundles` }),
    (b, name) => {
      window.location.assign(`/api/bundles/${b.id}/file`);
      return `Bundle ${b.number} for ${name} is made. Carry the file there.`;
    },
    renew,
  );
  const bring = useAct(
    (file: File) => upload<BundleBrought>('/api/bundles', 'application/gzip', file),
    (b) => {
      void navigate(scoped(`/estate/bundles/${b.id}`, site));
      return `Bundle ${b.number} of ${b.from} is here, and whole. Nothing is changed yet.`;
    },
    renew,
  );
  const others = list.data?.others ?? [];
  const waiting = others.flatMap((o) => o.bundles.filter((b) => b.state === 'waiting').map((b) => ({ o, b })));
  const done = others.flatMap((o) => o.changes.map((c) => ({ o, c })));
  const may = leave.may('bundles.take-in');
  return (
    <Space
      space="installations"
      title="Installations"
      sheets={<SubNav site={site} />}
      facts={
        list.data &&
        `${counted(others.length, 'other installation')} · ${counted(waiting.length, 'bundle waits', 'bundles wait')}`
      }
      findings={[]}
      acts={
        <>
          <Button disabled={!leave.may('trust.change')} title={leave.why('trust.change')} onClick={() => setAdding(true)}>
            Add an installation…
          </Button>
          <label
            title={leave.why('bundles.take-in')}
            className={`relative inline-flex items-center whitespace-nowrap rounded-[3px] border px-3 py-1.5 font-semibold focus-within:outline-2 focus-within:outline-verdigris ${may ? 'cursor-pointer border-verdigris bg-verdigris text-on-fill' : 'border-rule-2 text-ink-3'}`}
          >
            {bring.isPending ? 'Reading the bundle…' : 'Take a bundle in…'}
            <input
              type="file"
              accept=".gz,.tgz"
              disabled={!may || bring.isPending}
              className="sr-only"
              onChange={(e) => {
                const file = e.target.files?.[0];
                e.target.value = '';
                if (file) bring.mutate(file);
              }}
            />
          </label>
        </>
      }
    >
      <Refused error={list.error ?? bring.error} />
      {list.data && !others.length && (
        <Empty title="This is the only installation that is known here">
          A sealed room has an installation of its own. The plan goes there in a bundle, and what came of it comes back the same
          way. Each of the two adds the other one’s key first.{' '}
          <Copy text={list.data.own.key} className="font-semibold text-verdigris">
            Copy the public key of this one
          </Copy>
        </Empty>
      )}
      {waiting.map(({ o, b }) => (
        <p
          key={b.id}
          data-row
          tabIndex={-1}
          className="mt-3 flex items-baseline gap-3 border-ochre border-l-[3px] bg-leaf px-3 py-2"
        >
          <span className="min-w-0 flex-1">
            Bundle {b.number} of {o.name}, made <When at={b.made} as="both" /> by {b.madeBy}, waits to be taken in
          </span>
          <Link className="font-semibold text-verdigris hover:underline" to={scoped(`/estate/bundles/${b.id}`, site)}>
            Look at bundle {b.number}
          </Link>
        </p>
      ))}
      {others.length > 0 && (
        <table className="grid-table mt-3" aria-label="Other installations">
          <thead>
            <tr>
              <th>Installation</th>
              <th>Stands at</th>
              <th>Known as of</th>
              <th>Bundles to it</th>
              <th>Bundles from it</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {others.map((o) => (
              <tr key={o.key} data-row tabIndex={-1}>
                <td title={o.fingerprint}>
                  <div className="font-semibold">{o.name}</div>
                  <div className="mono text-ink-3 text-sm">{o.fingerprint.slice(0, 11)}</div>
                </td>
                <td className="whitespace-normal!">
                  {o.sites.length ? <Titles sites={o.sites} /> : <span className="text-ink-2">another estate</span>}{' '}
                  {leave.may('trust.change') && (
                    <button
                      type="button"
                      className="font-semibold text-verdigris hover:underline"
                      aria-label={`Change sites… of ${o.name}`}
                      onClick={() => setPlacing(o)}
                    >
                      Change sites…
                    </button>
                  )}
                </td>
                <td>
                  <Age o={o} />
                </td>
                <td>
                  <Sent o={o} />
                </td>
                <td>
                  <Received o={o} />
                </td>
                <td className="text-right">
                  <button
                    type="button"
                    className="whitespace-nowrap font-semibold text-verdigris hover:underline disabled:text-ink-3"
                    disabled={!leave.may('bundles.make') || make.isPending || !(o.sites.length || lastFrom(o))}
                    title={leave.why('bundles.make') || (o.sites.length || lastFrom(o) ? undefined : 'say where it stands first')}
                    onClick={() => make.mutate(o.name)}
                  >
                    Make a bundle
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {done.length > 0 && (
        <>
          <h2 className="pt-5 pb-1 text-lg">Changes of clusters there</h2>
          <table className="grid-table" aria-label="Changes of clusters there">
            <thead>
              <tr>
                <th>Cluster</th>
                <th>Change</th>
                <th>By</th>
                <th>Proof</th>
                <th>Ended</th>
                <th>Brought with</th>
                <th>
                  <span className="sr-only">Acts</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {done.map(({ o, c }) => (
                <tr key={`${o.key} ${c.charter} ${c.number}`} data-row tabIndex={-1}>
                  <td className="font-semibold">{c.charter}</td>
                  <td>
                    <Mark kind={c.state === 'done' ? 'done' : c.state === 'failed' ? 'failing' : 'half'} /> {c.number} · {c.title}
                  </td>
                  <td>{c.by}</td>
                  <td className={c.of && c.holds < c.of ? 'text-brick' : ''}>{c.of ? `${c.holds} of ${c.of}` : 'none'}</td>
                  <td>{c.ended ? <When at={c.ended} as="both" /> : '–'}</td>
                  <td className="text-ink-2">
                    bundle {c.bundle} of {o.name}
                  </td>
                  <td className="text-right">
                    <a
                      className="font-semibold text-verdigris hover:underline"
                      href={`/api/installations/${encodeURIComponent(o.name)}/changes/${c.charter}/${c.number}/evidence.tar.gz`}
                    >
                      Evidence of {c.charter} {c.number}
                    </a>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {list.data && others.length > 0 && (
        <p className="pt-5 text-ink-2">
          This installation is known to others by its key: fingerprint{' '}
          <span className="mono" title={list.data.own.fingerprint}>
            {list.data.own.fingerprint.slice(0, 23)}…
          </span>{' '}
          <Copy text={list.data.own.key} className="font-semibold text-verdigris">
            Copy its public key
          </Copy>
        </p>
      )}
      {adding && <AddInstallation onClose={() => setAdding(false)} />}
      {placing && <Place o={placing} onClose={() => setPlacing(undefined)} />}
    </Space>
  );
}

const last = (o: OtherInstallation, which: (b: Bundle) => boolean) => o.bundles.find(which);
const lastFrom = (o: OtherInstallation) => last(o, (b) => b.way === 'from' && b.state === 'taken');

function Titles({ sites }: { sites: readonly string[] }) {
  const known = useSnapshot().data?.estate.sites;
  return <>{sites.map((s) => known?.find((x) => x.name === s)?.title ?? s).join(', ')}</>;
}

function Age({ o }: { o: OtherInstallation }) {
  const from = lastFrom(o);
  if (!from) return <span className={o.sites.length ? 'text-ochre' : 'text-ink-2'}>nothing came yet</span>;
  return <When at={from.made} as="both" />;
}

function Sent({ o }: { o: OtherInstallation }) {
  const sent = last(o, (b) => b.way === 'to');
  if (!sent) return <span className="text-ink-2">none</span>;
  return (
    <>
      {sent.kept ? (
        <a className="hover:underline" href={`/api/bundles/${sent.id}/file`} title="Take the file again">
          {sent.number}
        </a>
      ) : (
        sent.number
      )}
      , <When at={sent.made} as="both" />
      <div className="text-ink-2 text-sm">
        {o.confirmed === sent.number
          ? 'taken in there'
          : o.confirmed
            ? `${o.confirmed} is taken in there`
            : 'none known to be taken in'}
      </div>
    </>
  );
}

function Received({ o }: { o: OtherInstallation }) {
  const from = lastFrom(o);
  if (!from?.takenAt) return <span className="text-ink-2">none</span>;
  return (
    <>
      {from.number}, taken in <When at={from.takenAt} as="both" />
      <div className="text-ink-2 text-sm">by {from.takenBy}</div>
    </>
  );
}

function Place({ o, onClose }: { o: OtherInstallation; onClose: () => void }) {
  const sites = useSnapshot().data?.estate.sites ?? [];
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set(o.sites));
  const place = useCall<object>(
    () => ({ method: 'PUT', path: `/api/installations/${encodeURIComponent(o.name)}/sites`, body: { sites: [...chosen] } }),
    `It is known where ${o.name} stands.`,
    renew,
  );
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Sites of ${o.name}`}
      about="Its bundles have the plan of these sites, and what is known of them comes from there. None: this installation stands at sites of that one."
      same={place.call}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={place.isPending} onClick={() => place.mutate(undefined, { onSuccess: onClose })}>
            Save
          </Button>
        </>
      }
    >
      <ul className="columns-2">
        {sites.map((s) => (
          <li key={s.name}>
            <label className="flex items-baseline gap-2 py-0.5">
              <input
                type="checkbox"
                checked={chosen.has(s.name)}
                onChange={(e) =>
                  setChosen((c) => new Set(e.target.checked ? [...c, s.name] : [...c].filter((x) => x !== s.name)))
                }
              />
              {s.title}
            </label>
          </li>
        ))}
      </ul>
      <Refused error={place.error} />
    </Dialog>
  );
}
