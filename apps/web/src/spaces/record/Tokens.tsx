import type { NewToken, Token, Tokens as Answer } from '@praesidor/contract';
import { type ActName, acts, type Role, roleAnywhere, roles, tokenActsOf, tokenLooks } from '@praesidor/core/access';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { useMe, useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';

const lasts: readonly [days: number, label: string][] = [
  [1, 'a day'],
  [30, '30 days'],
  [90, '90 days'],
  [366, 'a year'],
];

/** Tokens with which programs do what somebody may: what each is for, when it ends, and who used it last. */
export function Tokens({ title, login }: { title: string; login: string | undefined }) {
  const { data, error } = useQuery({
    queryKey: ['tokens', login],
    queryFn: () => api<Answer>('GET', login ? `/api/accounts/${login}/tokens` : '/api/me/tokens'),
  });
  const [making, setMaking] = useState(false);
  const end = useCall<object, string>(
    (id: string) => ({ method: 'DELETE', path: login ? `/api/accounts/${login}/tokens/${id}` : `/api/me/tokens/${id}` }),
    'Nothing is answered to it any more.',
    [['tokens'], ['acts']],
  );
  const list = data?.tokens ?? [];
  return (
    <section aria-label={title}>
      <div className="flex items-center gap-2 pt-5 pb-1">
        <h2 className="mr-auto text-lg">{title}</h2>
        {!login && <Button onClick={() => setMaking(true)}>Make a token…</Button>}
      </div>
      <Refused error={error ?? end.error} />
      {list.length > 0 && (
        <table className="grid-table" aria-label={title}>
          <thead>
            <tr>
              <th>Token</th>
              <th>May</th>
              <th>Ends</th>
              <th>Last used</th>
              <th>From</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.map((t) => (
              <tr key={t.id}>
                <td className="font-semibold">{t.name}</td>
                <td className="whitespace-normal!">
                  <May token={t} />
                </td>
                <td className={Date.parse(t.endsAt) < Date.now() ? 'text-brick' : ''}>
                  <When at={t.endsAt} as="both" />
                </td>
                <td>{t.usedAt ? <When at={t.usedAt} as="both" /> : 'never'}</td>
                <td className="mono">{t.usedFrom ?? '—'}</td>
                <td className="text-right">
                  <button
                    type="button"
                    className="font-semibold text-verdigris hover:underline"
                    aria-label={`End ${t.name}`}
                    disabled={end.isPending}
                    onClick={() => end.mutate(t.id)}
                  >
                    End
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data && list.length === 0 && <p className="text-ink-2">None: a program that works here by itself needs one.</p>}
      {making && <Make onClose={() => setMaking(false)} />}
    </section>
  );
}

/** What a token is for, in a sentence: the first few acts. */
function May({ token }: { token: Token }) {
  const does = token.acts.map((a) => acts[a as ActName]?.does ?? a);
  return (
    <span title={does.join('\n')}>
      {does.slice(0, 3).join('; ')}
      {does.length > 3 && <span className="text-ink-2">; and {counted(does.length - 3, 'more act')}</span>}
      {(token.sites || token.team) && (
        <span className="block text-ink-2 text-sm">
          changes only{' '}
          {[token.sites && `what is at ${token.sites.join(', ')}`, token.team && `clusters of ${token.team}`]
            .filter(Boolean)
            .join(', ')}
        </span>
      )}
    </span>
  );
}

const titles: Record<Role, string> = {
  reader: 'Look',
  planner: 'Change the plan',
  builder: 'Connect to devices, and build',
  warden: 'Credentials, trust, and what is hard to undo',
};

function Make({ onClose }: { onClose: () => void }) {
  const me = useMe().data;
  const estate = useSnapshot().data?.estate;
  const may = tokenActsOf(me ? roleAnywhere(me) : 'reader');
  const [sites, setSites] = useState<readonly string[]>([]);
  const [team, setTeam] = useState('');
  const teams = (estate?.teams ?? []).map((t) => t.name).filter((t) => me?.role === 'warden' || me?.teams.includes(t));
  const [name, setName] = useState('');
  const [days, setDays] = useState(90);
  const [chosen, setChosen] = useState<ReadonlySet<ActName>>(new Set(tokenLooks));
  const make = useCall<NewToken>(
    () => ({
      method: 'POST',
      path: '/api/me/tokens',
      body: {
        name: name.trim(),
        acts: [...chosen],
        days,
        ...(sites.length ? { sites } : {}),
        ...(team ? { team } : {}),
      },
    }),
    '',
    [['tokens'], ['acts']],
  );
  const made = make.data;
  const set = (list: readonly ActName[], on: boolean) =>
    setChosen((before) => {
      const next = new Set(before);
      for (const a of list)
        if (on) next.add(a);
        else next.delete(a);
      return next;
    });
  return (
    <Dialog
      open
      onClose={onClose}
      title="Make a token"
      about="A program that has it does what is ticked here in your name, as long as you may. It is shown once."
      acts={
        made ? (
          <Button filled onClick={onClose}>
            Close
          </Button>
        ) : (
          <>
            <Button onClick={onClose}>Cancel</Button>
            <Button filled disabled={!name.trim() || !chosen.size || make.isPending} onClick={() => make.mutate()}>
              Make
            </Button>
          </>
        )
      }
      same={make.call}
    >
      {made ? (
        <Shown made={made} name={name.trim()} />
      ) : (
        <>
          <Field label="Name" hint="What has it, such as the pipeline that builds at night.">
            {(id) => <Input id={id} value={name} onChange={(e) => setName(e.target.value)} />}
          </Field>
          <Field label="Good for">
            {(id) => (
              <select
                id={id}
                value={days}
                onChange={(e) => setDays(Number(e.target.value))}
                className="border border-rule-2 bg-leaf px-2 py-1"
              >
                {lasts.map(([d, label]) => (
                  <option key={d} value={d}>
                    {label}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <Field label="At" hint="Nothing ticked: everywhere. Looking is not kept to sites.">
            {() => (
              <div className="flex max-h-[90px] flex-wrap gap-x-4 overflow-y-auto">
                {estate?.sites.map((s) => (
                  <label key={s.name} className="flex items-baseline gap-1.5">
                    <input
                      type="checkbox"
                      checked={sites.includes(s.name)}
                      onChange={(e) => setSites(e.target.checked ? [...sites, s.name] : sites.filter((x) => x !== s.name))}
                    />
                    {s.name}
                  </label>
                ))}
              </div>
            )}
          </Field>
          {teams.length > 0 && (
            <Field label="Clusters of">
              {(id) => (
                <select
                  id={id}
                  value={team}
                  onChange={(e) => setTeam(e.target.value)}
                  className="border border-rule-2 bg-leaf px-2 py-1"
                >
                  <option value="">all teams that you may change</option>
                  {teams.map((t) => (
                    <option key={t} value={t}>
                      {t}
                    </option>
                  ))}
                </select>
              )}
            </Field>
          )}
          <div className="max-h-[260px] overflow-y-auto border-rule border-t">
            {roles.map((r) => {
              const list = may.filter((a) => acts[a].role === r);
              if (!list.length) return null;
              const on = list.filter((a) => chosen.has(a)).length;
              return (
                <details key={r} open={r === 'reader'} className="border-rule border-b py-1">
                  <summary className="cursor-pointer">
                    <label className="inline-flex items-baseline gap-2">
                      <input type="checkbox" checked={on === list.length} onChange={(e) => set(list, e.target.checked)} />
                      <span className="font-semibold">{titles[r]}</span>
                    </label>{' '}
                    <span className="text-ink-2">
                      {on} of {counted(list.length, 'act')}
                    </span>
                  </summary>
                  <ul className="grid grid-cols-2 gap-x-4 py-1 pl-4">
                    {list.map((a) => (
                      <li key={a}>
                        <label className="flex items-baseline gap-2">
                          <input type="checkbox" checked={chosen.has(a)} onChange={(e) => set([a], e.target.checked)} />
                          {acts[a].does}
                        </label>
                      </li>
                    ))}
                  </ul>
                </details>
              );
            })}
          </div>
        </>
      )}
      <Refused error={make.error} />
    </Dialog>
  );
}

/** The token, and how a program uses it: on the command line, and over HTTP. */
function Shown({ made, name }: { made: NewToken; name: string }) {
  const at = window.location.origin;
  const lines: readonly [what: string, text: string][] = [
    ['On the command line', `PRAESIDOR_TOKEN=${made.token} praesidor changes list --server ${at}`],
    ['Over HTTP', `curl -H 'Authorization: Bearer ${made.token}' ${at}/api/estate`],
  ];
  return (
    <>
      <p className="pb-2">
        The token <b>{name}</b>, shown only now:{' '}
        <Copy text={made.token} className="mono whitespace-normal! break-all font-semibold" />
      </p>
      {lines.map(([what, text]) => (
        <p key={what} className="pb-1">
          <span className="block text-ink-2">{what}</span>
          <Copy text={text} className="mono whitespace-normal! break-all text-sm" />
        </p>
      ))}
    </>
  );
}
