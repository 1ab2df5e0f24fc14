import type { Hop, Leg, Trace, WhatIs } from '@praesidor/core/reach';
import { counted } from '@praesidor/core/words';
import type { Measured } from '@praesidor/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useEffect, useId, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api } from '../../api/client.ts';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useMay } from '../../state/may.ts';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import type { Traced } from '../../workers/compute.worker.ts';
import { MeasuredLine } from './Measured.tsx';
import { ServicesTable } from '../clusters/ServicesTable.tsx';
import { SubNav } from './SubNav.tsx';

/** Bytes of a full frame of Ethernet. */
const usualBytes = 1500;
/** Heights of the band: the more a network carries in one packet, the wider. A network of 1,500 has 44 pixels, each doubling 10 more. */
const heightOf = (mtu: number) => Math.round(44 + 10 * Math.log2(mtu / 1500));

/** The path from one end to another and back, as the plan has it. */
export function TraceSpace() {
  const { site, inScope } = useScope();
  const snapshot = useSnapshot().data;
  const report = useReport();
  const [mending, setMending] = useState(false);
  const [typed, set] = useTyped();
  const { from, to } = typed;
  const bytes = Number(typed.bytes) || usualBytes;
  const port = Number(typed.port) || undefined;
  const found = useQuery({
    queryKey: ['trace', snapshot?.state, from, to, bytes, port],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async (): Promise<Traced> =>
      snapshot ? (await computerWith(snapshot)).trace(from, to, { bytes, port }) : { wrong: {} },
  });
  const { may, why } = useMay();
  // A host of a cluster that stands measures it itself.
  const host = snapshot?.estate.hosts.find((h) => h.name === from && h.state === 'serving' && h.held)?.name;
  const measured = useMutation({
    mutationFn: () =>
      api<Measured>('POST', '/api/reach/measure', { to, ...(port ? { port } : {}), ...(host ? { from: host } : {}) }),
  });
  const { reset } = measured;
  // What was measured of one end says nothing of another.
  // biome-ignore lint/correctness/useExhaustiveDependencies: whenever the end is another
  useEffect(() => reset(), [from, to, port]);
  const trace = found.data?.trace;
  const wrong = found.data?.wrong ?? {};
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && /^(NET|SVC)/.test(f.code));
  const names = [
    ...(snapshot?.estate.networks ?? []).filter((n) => inScope(n.site)),
    ...(snapshot?.estate.charters ?? []).filter((n) => inScope(n.site)),
    ...(snapshot?.estate.hosts ?? []).filter((n) => inScope(n.site)),
  ].map((d) => d.name);
  const stops = trace
    ? [trace.forward.stop, trace.back.stop, ...trace.whileLeading.map((w) => w.stop)].filter((x) => x !== undefined)
    : [];
  const edits = trace?.edits ?? [];
  const lacking = [...new Set(stops.flatMap((x) => x.lacking))];
  return (
    <Space
      space="addresses"
      sheets={<SubNav site={site} />}
      title="Trace"
      facts="every hop, both directions, computed from the plan"
      findings={findings}
      acts={
        <>
          {to && (
            <Button
              disabled={!may('reach.measure') || measured.isPending}
              title={why('reach.measure')}
              onClick={() => measured.mutate(undefined)}
            >
              {host ? `Measure from ${host}` : 'Measure it'}
            </Button>
          )}
          {edits.length > 0 && (
            <Button filled onClick={() => setMending(true)}>
              {lacking.length > 1 ? 'Add what is missing…' : 'Add the missing route…'}
            </Button>
          )}
        </>
      }
    >
      <div className="grid grid-cols-[1fr_1fr_90px_90px] gap-x-6 border-rule border-b pt-3 pb-3">
        <Asked label="From" value={from} wrong={wrong.from} is={found.data?.is?.from} onChange={(v) => set('from', v)} list />
        <Asked label="To" value={to} wrong={wrong.to} is={found.data?.is?.to} onChange={(v) => set('to', v)} list />
        <Asked label="TCP port" value={typed.port} placeholder="any" onChange={(v) => set('port', v.replace(/\D/g, ''))} />
        <Asked
          label="Bytes"
          value={typed.bytes}
          placeholder={String(usualBytes)}
          onChange={(v) => set('bytes', v.replace(/\D/g, ''))}
        />
      </div>
      <datalist id="trace-ends">
        {names.map((n) => (
          <option key={n} value={n} />
        ))}
      </datalist>
      {trace ? (
        <>
          <Direction title="Forward" leg={trace.forward} to={trace.to} bytes={trace.bytes} site={site} />
          <Direction title="Return" leg={trace.back} to={trace.from} bytes={trace.bytes} site={site} />
          {measured.data && <MeasuredLine m={measured.data} trace={trace} />}
          <Refused error={measured.error} />
          <Besides trace={trace} />
          {trace.to.cluster?.is === 'service' && <ServicesTable cluster={trace.to.cluster.charter} site={site} />}
        </>
      ) : (
        (!from || !to) && (
          <Empty title="Name both ends">
            An address, a network, a host, or a cluster (its API). What of a cluster: <span className="mono">plover/inbound</span>
            , <span className="mono">plover/pod</span>, <span className="mono">plover/radar-archive</span> (one of its services).
            What lies outside of all networks: <span className="mono">outside</span>, as the end to which a packet goes. Where two
            networks have one address, write the network before it: <span className="mono">lr-machine/10.62.8.66</span>.
          </Empty>
        )
      )}
      {mending && edits.length > 0 && (
        <EditsDialog
          title={lacking.length > 1 ? 'Add what is missing' : 'Add the missing route'}
          about={`${lacking.join('; ')}.`}
          edits={edits}
          why={`Routes between ${trace?.from.label} and ${trace?.to.label}`}
          onClose={() => setMending(false)}
        />
      )}
    </Space>
  );
}

interface Typed {
  from: string;
  to: string;
  bytes: string;
  port: string;
}
/** Both ends and the size, as they stand in the address of the page, so that it can be sent to somebody. Typing goes before: the address follows. */
function useTyped(): [Typed, (key: keyof Typed, value: string) => void] {
  const [address, setAddress] = useSearchParams();
  const read = (): Typed => ({
    from: address.get('from') ?? '',
    to: address.get('to') ?? '',
    bytes: address.get('bytes') ?? '',
    port: address.get('port') ?? '',
  });
  const [typed, setTyped] = useState(read);
  const written = useRef(new Set<string>());
  const text = address.toString();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the address as it is then
  useEffect(() => {
    // It is another one than any that typing has led to: somebody has followed a link.
    if (!written.current.has(text)) setTyped(read());
  }, [text]);
  const set = (key: keyof Typed, value: string) => {
    const next = { ...typed, [key]: value };
    setTyped(next);
    const to = new URLSearchParams(address);
    for (const [k, v] of Object.entries(next)) {
      if (v) to.set(k, v);
      else to.delete(k);
    }
    written.current.add(to.toString());
    setAddress(to, { replace: true });
  };
  return [typed, set];
}

function Asked({
  label,
  value,
  wrong,
  is,
  placeholder,
  list,
  onChange,
}: {
  label: string;
  value: string;
  wrong?: string | undefined;
  is?: WhatIs[] | undefined;
  placeholder?: string;
  list?: boolean;
  onChange: (value: string) => void;
}) {
  const id = useId();
  return (
    <div>
      <label htmlFor={id} className="block text-ink-2">
        {label}
      </label>
      <input
        id={id}
        className={`mono w-full border bg-leaf px-2 py-1 ${wrong ? 'border-brick' : 'border-rule-2'}`}
        list={list ? 'trace-ends' : undefined}
        value={value}
        placeholder={placeholder}
        aria-invalid={wrong !== undefined}
        onChange={(e) => onChange(e.target.value.trim())}
      />
      {wrong && <div className="text-brick text-sm">{wrong}</div>}
      {!wrong && is?.[0] && (
        <div className="truncate text-ink-2 text-sm" title={is.map(isText).join('\n')}>
          {isText(is[0])}
        </div>
      )}
    </div>
  );
}

/** What an address is: `radar desk 2 in lr-desks, since 17 Mar 2026`. */
const isText = (w: WhatIs): string =>
  [
    w.what,
    w.node && ` on ${w.node}`,
    w.network && ` in ${w.network}`,
    w.block && `, of ${w.block}`,
    w.since && `, since ${w.since.slice(0, 10)}`,
  ]
    .filter(Boolean)
    .join('');

/** One direction: what passes, or where it ends and why; and the band. */
function Direction({ title, leg, to, bytes, site }: { title: string; leg: Leg; to: Trace['to']; bytes: number; site: string }) {
  const { stop, hops, mtu, gbit } = leg;
  const small = !stop && mtu !== undefined && mtu < bytes;
  const facts = stop
    ? `${stop.sort === 'unknown' ? 'is not known beyond' : 'stops at'} ${stop.at}: ${stop.why}`
    : `${counted(hops.length, 'hop')}, ${bytes.toLocaleString('en')} bytes ${small ? `do not pass: ${mtu.toLocaleString('en')} do` : 'pass'}${gbit === undefined ? '' : `, ${gbit} Gbit/s at the narrowest`}`;
  return (
    <section aria-label={title} className="pt-4">
      <h2 className="text-lg">
        {title}{' '}
        <span
          className={`ml-1.5 font-normal font-sans text-base ${stop || small ? (stop?.sort === 'unknown' ? 'text-ochre' : 'text-brick') : 'text-ink-2'}`}
        >
          {facts}
        </span>
      </h2>
      <ol className="flex pt-2">
        {hops.map((h, i) => (
          <Step key={`${h.at} ${h.network} ${h.next}`} hop={h} first={i === 0} to={to} site={site} />
        ))}
        <li className="w-[130px] flex-none">
          <div className={`truncate font-semibold ${stop ? 'text-brick' : ''}`} title={stop?.at ?? to.label}>
            {stop?.at ?? (to.cluster ? 'a pod' : to.label)}
          </div>
          {stop ? (
            <>
              <div className="flex h-[78px] items-center border-brick border-l-2">
                <div
                  className="flex w-full items-center border border-brick border-dashed px-2 text-brick text-sm"
                  style={{ height: heightOf(1500) }}
                >
                  {stop.sort === 'unknown' ? 'not declared' : 'nothing goes on'}
                </div>
              </div>
              {stop.lacking.length > 0 && <div className="text-brick text-sm">would need {stop.lacking.join(', ')}</div>}
            </>
          ) : (
            <>
              <div className="flex h-[78px] items-center border-ink border-l pl-2">
                <span className="mono text-sm">{to.cluster ? to.cluster.charter : to.address}</span>
              </div>
              {leg.nobody && <div className="text-ochre text-sm">nobody is declared to have it</div>}
            </>
          )}
        </li>
      </ol>
    </section>
  );
}

/** One hop: who sends it, how wide the network is, what it travels inside of, and the route that chose it. */
function Step({ hop: h, first, to, site }: { hop: Hop; first: boolean; to: Trace['to']; site: string }) {
  const fits = h.inside && Math.min(h.inside.mtu, h.inside.room);
  return (
    <li className="min-w-0 flex-1">
      <div className="truncate pr-2 font-semibold" title={h.at}>
        {h.at}
      </div>
      <div className="flex h-[78px] items-center border-ink border-l">
        <div
          className={`flex w-full flex-col justify-center border-verdigris border-y bg-verdigris-tint ${h.inside ? 'py-[3px]' : 'px-2'}`}
          style={{ height: heightOf(h.mtu) }}
        >
          {h.inside ? (
            // What is inside of the encapsulation is as much narrower as its headers take.
            <div
              className="flex flex-1 flex-col justify-center border border-plum border-dashed bg-plum-tint px-2 text-plum"
              title={`${h.inside.kind}: ${h.mtu} bytes outside, ${h.inside.room} fit inside, ${h.inside.mtu} are set`}
            >
              <div className="mono truncate leading-tight">{h.inside.kind}</div>
              <div className={`truncate text-sm leading-tight ${h.inside.room < h.inside.mtu ? 'text-brick' : ''}`}>
                inside {fits} of {h.mtu}
              </div>
            </div>
          ) : (
            <>
              <div className="mono truncate leading-tight">{h.next ? `→ ${h.next}` : first ? 'direct' : `→ ${to.address}`}</div>
              <div className="truncate text-ink-2 text-sm leading-tight">
                {h.vlan === undefined ? 'untagged' : `VLAN ${h.vlan}`} · {h.mtu}
                {h.gbit === undefined ? '' : ` · ${h.gbit} Gbit/s`}
              </div>
            </>
          )}
        </div>
      </div>
      <div className="pr-2 text-sm">
        <Link to={scoped(`/addresses?net=${h.network}`, site)} className="text-verdigris hover:underline">
          {h.network}
        </Link>
        {h.chosen && (
          <div className="text-ink-2">
            <span className="mono text-[11.5px]!">{h.chosen.prefix}</span>
            {h.chosen.from && (
              <span className="follows block">
                ↳ {routeText(h.chosen.from.path)} of {h.chosen.from.name}
              </span>
            )}
          </div>
        )}
        {h.nat && (
          <div className="text-ink-2">
            {h.nat.of} <span className="mono text-[11.5px]!">{h.nat.before}</span> becomes{' '}
            <span className="mono text-[11.5px]!">{h.nat.after}</span>
          </div>
        )}
        {h.note && <div className="text-ink-3">{h.note}</div>}
      </div>
    </li>
  );
}

/** What becomes of the path while another member leads, and ways that differ. */
function Besides({ trace: t }: { trace: Trace }) {
  if (!t.whileLeading.length && !t.asymmetric) return null;
  return (
    <section aria-label="While another leads" className="pt-4">
      <h2 className="text-lg">While another member leads</h2>
      <ul className="pt-1">
        {t.whileLeading.map((w) => (
          <li key={`${w.gateway} ${w.member}`} className="flex items-baseline gap-2 py-0.5">
            <Mark kind={w.works ? 'done' : w.stop ? 'failing' : 'half'} />
            <span>
              <b>{w.member}</b>{' '}
              <span className={w.works ? 'text-ink-2' : 'text-brick'}>
                {w.works
                  ? 'the path works as well'
                  : w.stop
                    ? `the path is lost: ${w.stop.leg === 'back' ? 'the answer ' : ''}stops there, ${w.stop.why}`
                    : 'packets of that size do not pass'}
              </span>
              {w.stop && w.stop.lacking.length > 0 && (
                <span className="text-ink-2"> · would need {w.stop.lacking.join(', ')}</span>
              )}
            </span>
          </li>
        ))}
        {t.asymmetric && <li className="py-0.5 text-ochre">The answer takes other routers than the question.</li>}
      </ul>
    </section>
  );
}

/** The field that a route comes from, in words. */
const routeText = (path: readonly (string | number)[]): string => {
  const words = path.filter((p) => typeof p === 'string');
  const last = words.at(-1);
  if (words[0] === 'dhcp') return 'given by DHCP, scope';
  if (words[0] === 'servicePool') return 'told by BGP, nodes';
  return last === 'gateway'
    ? 'gateway'
    : last === 'routes'
      ? 'static route'
      : last === 'routesTo'
        ? 'route'
        : last === 'interfaces'
          ? 'interface'
          : 'prefix';
};
