import type { StandingProof } from '@praesidor/contract';
import { counted } from '@praesidor/core/words';
import { Link } from 'react-router';
import { Button } from '../../parts/Button.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { Evidence } from '../builds/ProofTable.tsx';
import { scoped, useScope } from '../../state/scope.ts';

/** What is measured of a cluster that stands: what does not hold comes first, with where it is mended; then what became otherwise, and when. */
export function Standing({ name, proof }: { name: string; proof: StandingProof }) {
  const { site } = useScope();
  const leave = useMay();
  const measure = useCall<object>(
    () => ({ method: 'POST', path: `/api/charters/${name}/proof` }),
    'Everything was measured again.',
    [['proof', name], ['proofs']],
  );
  const bad = proof.lines.filter((l) => !l.good).length;
  return (
    <>
      <div className="flex items-center gap-3 pb-1">
        <span className={bad ? 'font-semibold text-brick' : 'text-ink-2'}>
          {bad ? `${counted(bad, 'line does', 'lines do')} not hold` : `all ${proof.lines.length} lines hold`}
        </span>
        <Button
          quiet
          disabled={!leave.may('builds.run') || measure.isPending}
          title={leave.why('builds.run')}
          onClick={() => measure.mutate()}
        >
          {measure.isPending ? 'Measuring…' : 'Measure now'}
        </Button>
      </div>
      <table className="grid-table" aria-label="Proof">
        <thead>
          <tr>
            <th>Measured</th>
            <th>Planned</th>
            <th>Found</th>
            <th>Stands so since</th>
            <th>Last measured</th>
            <th>Evidence</th>
          </tr>
        </thead>
        <tbody>
          {proof.lines.map((p) => (
            <tr key={p.what}>
              <td className="whitespace-nowrap">
                <Mark kind={p.good ? 'done' : 'failing'} title={p.good ? 'holds' : 'does not hold'} /> {p.what}
              </td>
              <td className="max-w-[200px]">{p.planned}</td>
              <td className={`max-w-[220px] ${p.good ? '' : 'text-brick'}`}>
                {p.found}
                {!p.good && (
                  <Link className="block font-semibold text-verdigris hover:underline" to={scoped(p.mend.go, site)}>
                    {p.mend.label}
                  </Link>
                )}
              </td>
              <td>
                <When at={p.since} />
              </td>
              <td>
                <When at={p.at} />
                {p.every !== undefined && <span className="block text-ink-3 text-xs">every {p.every} min</span>}
              </td>
              <td className="text-ink-2">
                <Evidence lines={p.evidence} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {proof.changes.length > 0 && (
        <>
          <h2 className="pt-5 pb-1 text-lg">What became otherwise</h2>
          <table className="grid-table" aria-label="What became otherwise">
            <thead>
              <tr>
                <th>When</th>
                <th>Line</th>
                <th>Planned</th>
                <th>Found</th>
              </tr>
            </thead>
            <tbody>
              {proof.changes.map((c) => (
                <tr key={`${String(c.at)} ${c.what}`}>
                  <td className="whitespace-nowrap">
                    <When at={c.at} />
                  </td>
                  <td className="whitespace-nowrap">
                    <Mark kind={c.good ? 'done' : 'failing'} title={c.good ? 'holds' : 'does not hold'} /> {c.what}
                  </td>
                  <td className="max-w-[260px]">{c.planned}</td>
                  <td className={`max-w-[260px] ${c.good ? '' : 'text-brick'}`}>{c.found}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}
