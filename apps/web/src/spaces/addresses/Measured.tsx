import type { Measured } from '@praesidor/contract';
import type { Trace } from '@praesidor/core/reach';
import { Mark } from '../../parts/Mark.tsx';
import { When } from '../../parts/When.tsx';
import { differs } from './differs.ts';

/** What was measured, beside what was computed: both are told, and where they differ. */
export function MeasuredLine({ m, trace }: { m: Measured; trace: Trace }) {
  const way = m.from && `${m.from.via ? `over ${m.from.via}` : 'on its link'}${m.from.link ? `, out of ${m.from.link}` : ''}`;
  return (
    <section aria-label="Measured" className="pt-4">
      <h2 className="text-lg">
        Measured{' '}
        <span className="ml-1.5 font-normal font-sans text-base text-ink-2">
          from {m.from ? m.from.host : 'the machine of this server'}, <When at={m.at} />
        </span>
      </h2>
      <p className="flex items-baseline gap-2 pt-1">
        <Mark kind={m.answered ? 'done' : 'failing'} />
        <span>
          <span className="mono">
            {m.address} port {m.port}
          </span>{' '}
          {m.answered
            ? `takes connections: after ${m.ms < 10 ? m.ms.toFixed(1) : Math.round(m.ms)} ms${m.pathMtu === null ? '' : `, ${m.pathMtu.toLocaleString('en')} bytes pass whole`}`
            : `does not: ${m.why}`}
          {way && <span className="text-ink-2"> · {way}</span>}
        </span>
      </p>
      {differs(m, trace).map((text) => (
        <p key={text} className="text-ochre">
          {text}
        </p>
      ))}
    </section>
  );
}
