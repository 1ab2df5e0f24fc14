import { counted } from '@praesidor/core/words';
import type { ProofLine } from '../../api/queries.ts';
import { Mark } from '../../parts/Mark.tsx';

export const ProofTable = ({ proof }: { proof: readonly ProofLine[] }) => (
  <table className="grid-table" aria-label="Proof">
    <thead>
      <tr>
        <th>Measured</th>
        <th>Planned</th>
        <th>Found</th>
        <th>Evidence</th>
      </tr>
    </thead>
    <tbody>
      {proof.map((p) => (
        <tr key={p.what}>
          <td className="whitespace-nowrap">
            <Mark kind={p.good ? 'done' : 'failing'} title={p.good ? 'holds' : 'fails'} /> {p.what}
          </td>
          <td className="max-w-[240px]">{p.planned}</td>
          <td className={`max-w-[240px] ${p.good ? '' : 'text-brick'}`}>{p.found}</td>
          <td className="text-ink-2">
            <Evidence lines={p.evidence} />
          </td>
        </tr>
      ))}
    </tbody>
  </table>
);

/** What was seen when a line was measured, folded. */
export const Evidence = ({ lines }: { lines: readonly string[] }) => (
  <details>
    <summary className="cursor-pointer">{counted(lines.length, 'line')}</summary>
    {lines.map((e) => (
      <div key={e} className="mono whitespace-normal! text-[11.5px]!">
        {e}
      </div>
    ))}
  </details>
);
