import type { Leg, Trace } from '@praesidor/core/reach';
import { counted } from '@praesidor/core/words';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useId, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { computerWith } from '../../workers/compute.ts';
import type { Traced } from '../../workers/compute.worker.ts';
import { SubNav } from './SubNav.tsx';

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
  const found = useQuery({
    queryKey: ['trace', snapshot?.state, from, to, bytes],
    enabled: snapshot !== undefined,
    placeholderData: (old) => old,
    gcTime: 1000,
    queryFn: async (): Promise<Traced> => (snapshot ? (await computerWith(snapshot)).trace(from, to, bytes) : { wrong: {} }),
  });
  const trace = found.data?.trace;
  const wrong = found.data?.wrong ?? {};
  const findings = (report.data?.findings ?? []).filter((f) => inScope(f.site) && f.code.startsWith('NET'));
  const names = [
    ...(snapshot?.estate.networks ?? []).filter((n) => inScope(n.site)),
    ...(snapshot?.estate.charters ?? []).filter((n) => inScope(n.site)),
    ...(snapshot?.estate.hosts ?? []).filter((n) => inScope(n.site)),
  ].map((d) => d.name);
  const stops = trace ? [trace.forward, trace.back].flatMap((l) => l.stop ?? []) : [];
  const edits = stops.flatMap((s) => s.edits);
  return (
    <Space
      space="addresses"
      sheets={<SubNav site={site} />}
      title="Trace"
      facts="every hop, both directions, computed from the plan"
      findings={findings}
      acts={
        edits.length > 0 && (
          <Button filled onClick={() => setMending(true)}>
            {edits.length > 1 ? 'Add the missing routes…' : 'Add the missing route…'}
          </Button>
        )
      }
    >
      <div className="grid grid-cols-[1fr_1fr_130px] gap-x-6 border-rule border-b pt-3 pb-3">
        <Asked label="From" value={from} wrong={wrong.from} onChange={(v) => set('from', v)} list />
        <Asked label="To" value={to} wrong={wrong.to} onChange={(v) => set('to', v)} list />
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
        </>
      ) : (
        (!from || !to) && (
          <Empty title="Name both ends">
            An address, a network, a host, or a cluster (its API); <span className="mono">plover/inbound</span> is its inbound
            address. Where two networks have one address, write the network before it:{' '}
            <span className="mono">lr-machine/10.62.8.66</span>.
          </Empty>
        )
      )}
      {mending && edits.length > 0 && (
        <EditsDialog
          title={edits.length > 1 ? 'Add the missing routes' : 'Add the missing route'}
          about={stops.map((x) => `${x.at}: ${x.why}.`).join(' ')}
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
}
/** Both ends and the size, as they stand in the address of the page, so that it can be sent to somebody. Typing goes before: the address follows. */
function useTyped(): [Typed, (key: keyof Typed, value: string) => void] {
  const [address, setAddress] = useSearchParams();
  const read = (): Typed => ({
    from: address.get('from') ?? '',
    to: address.get('to') ?? '',
    bytes: address.get('bytes') ?? '',
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
  placeholder,
  list,
  onChange,
}: {
  label: string;
  value: string;
  wrong?: string | undefined;
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
    </div>
  );
}

/** One direction: what passes, or where it ends and why; and the band. */
function Direction({ title, leg, to, bytes, site }: { title: string; leg: Leg; to: Trace['to']; bytes: number; site: string }) {
  const { stop, hops, mtu } = leg;
  const small = !stop && mtu !== undefined && mtu < bytes;
  return (
    <section aria-label={title} className="pt-4">
      <h2 className="text-lg">
        {title}{' '}
        <span
          className={`ml-1.5 font-normal font-sans text-base ${stop || small ? (stop?.sort === 'unknown' ? 'text-ochre' : 'text-brick') : 'text-ink-2'}`}
        >
          {stop
            ? `${stop.sort === 'unknown' ? 'is not known beyond' : 'stops at'} ${stop.at}: ${stop.why}`
            : small
              ? `${counted(hops.length, 'hop')}, ${bytes.toLocaleString('en')} bytes do not pass: ${mtu.toLocaleString('en')} do`
              : `${counted(hops.length, 'hop')}, ${bytes.toLocaleString('en')} bytes pass`}
        </span>
      </h2>
      <ol className="flex pt-2">
        {hops.map((h, i) => (
          <li key={`${h.at} ${h.network}`} className="min-w-0 flex-1">
            <div className="truncate pr-2 font-semibold" title={h.at}>
              {h.at}
            </div>
            <div className="flex h-[78px] items-center border-ink border-l">
              <div
                className="flex w-full flex-col justify-center border-verdigris border-y bg-verdigris-tint px-2"
                style={{ height: heightOf(h.mtu) }}
              >
                <div className="mono truncate">{h.next ? `→ ${h.next}` : i === 0 ? 'direct' : `→ ${to.address}`}</div>
                <div className="truncate text-ink-2 text-sm">
                  {h.vlan === undefined ? 'untagged' : `VLAN ${h.vlan}`} · {h.mtu}
                </div>
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
            </div>
          </li>
        ))}
        <li className="w-[130px] flex-none">
          {stop ? (
            <>
              <div className="truncate font-semibold text-brick" title={stop.at}>
                {stop.at}
              </div>
              <div className="flex h-[78px] items-center border-brick border-l-2">
                <div
                  className="flex w-full items-center border border-brick border-dashed px-2 text-brick text-sm"
                  style={{ height: heightOf(1500) }}
                >
                  {stop.sort === 'unknown' ? 'not declared' : 'nothing goes on'}
                </div>
              </div>
            </>
          ) : (
            <>
              <div className="truncate font-semibold" title={to.label}>
                {to.label}
              </div>
              <div className="flex h-[78px] items-center border-ink border-l pl-2">
                <span className="mono text-sm">{to.address}</span>
              </div>
              {leg.nobody && <div className="text-ochre text-sm">nobody is declared to have it</div>}
            </>
          )}
        </li>
      </ol>
    </section>
  );
}

/** The field that a route comes from, in words. */
const routeText = (path: readonly (string | number)[]): string =>
  path[0] === 'gateway' ? 'gateway' : path[0] === 'routes' ? 'static route' : path[0] === 'routesTo' ? 'route' : 'prefix';
