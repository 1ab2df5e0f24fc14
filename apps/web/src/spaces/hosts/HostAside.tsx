import type { HostPage as PageAnswer } from '@praesidor/contract';
import { duplicates } from '@praesidor/core/hosts';
import type { Estate, Host } from '@praesidor/core/model';
import { Link } from 'react-router';
import { MarginPart } from '../../frame/Margin.tsx';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { When } from '../../parts/When.tsx';
import { useUndo } from '../../state/act.ts';
import { useCall } from '../../state/call.ts';

/** Beside a host's page: its addresses, its other entry, what used it, who did what. */
export function HostAside({ host, estate, page }: { host: Host; estate: Estate; page: PageAnswer | undefined }) {
  const undo = useUndo();
  const merge = useCall<{ act: number }, { keep: string; drop: string }>(
    (v: { keep: string; drop: string }) => ({ method: 'POST', path: '/api/hosts/merge', body: v }),
    (_, v) => `${v.drop} is one with ${v.keep} now.`,
  );
  const mine = estate.reservations.filter(
    (r) => (r.owner.kind === 'host' && r.owner.name === host.name) || r.owner.use === `node ${host.name}`,
  );
  const twin = duplicates(estate.hosts).find((d) => d.hosts.includes(host.name));
  return (
    <>
      <MarginPart title="Addresses and names">
        {mine.length ? (
          mine.map((r) => (
            <div key={r.address} className="py-0.5">
              <Copy text={r.address} className="mono" />{' '}
              <Link
                className="text-verdigris underline underline-offset-2"
                to={`/addresses?site=${host.site}&net=${r.network}&at=${r.address}`}
              >
                {r.network}
              </Link>
              {r.name && <div className="truncate text-ink-2">{r.name}</div>}
            </div>
          ))
        ) : (
          <p className="text-ink-2">None is reserved for it.</p>
        )}
      </MarginPart>
      {twin && (
        <MarginPart title="Entered twice">
          <p>
            {twin.hosts.filter((h) => h !== host.name).join(', ')} {twin.hosts.length > 2 ? 'are' : 'is'} the same machine by{' '}
            {twin.by.map((b) => `${b.mark} ${b.value}`).join(', ')}.
          </p>
          {twin.hosts
            .filter((h) => h !== host.name)
            .map((h) => (
              <Button
                key={h}
                className="mt-1.5"
                disabled={merge.isPending}
                onClick={() => merge.mutate({ keep: host.name, drop: h })}
              >
                Merge {h} into {host.name}
              </Button>
            ))}
        </MarginPart>
      )}
      <MarginPart title="Charters and builds">
        {host.held && (
          <div>
            <Link className="text-verdigris underline underline-offset-2" to={`/clusters/${host.held.charter}`}>
              {host.held.charter}
            </Link>
            , {host.held.role}
          </div>
        )}
        {page?.builds.map((b) => (
          <div key={`${b.charter}${b.number}`} className="text-ink-2">
            <Link className="text-verdigris underline underline-offset-2" to={`/builds/${b.charter}/${b.number}`}>
              {b.charter} build {b.number}
            </Link>
            , {b.state}, <When at={b.at} as="day" />
          </div>
        ))}
        {!host.held && !page?.builds.length && <p className="text-ink-2">None has used it.</p>}
      </MarginPart>
      <MarginPart title="Who did what">
        {page?.history.slice(0, 12).map((a) => (
          <div key={a.id} className="py-0.5">
            <span className="text-ink-2">
              <When at={a.at} as="both" />
            </span>{' '}
            {a.who}: {a.act}
            {a.canUndo && (
              <Button quiet className="ml-2 py-0!" onClick={() => undo.mutate(a.id)}>
                Undo
              </Button>
            )}
          </div>
        ))}
        {page && !page.history.length && <p className="text-ink-2">Nobody has done anything to it yet.</p>}
      </MarginPart>
    </>
  );
}
