import { heldBy, missing, sizeOf } from '@praesidor/core/images';
import { bytesText } from '@praesidor/core/words';
import type { Bill, Estate, Registry } from '@praesidor/core/model';
import { billsOf, holdsCount } from '@praesidor/core/model';
import { useContext } from 'react';
import { FindingMarker, MarginContext } from '../../parts/FindingMarker.tsx';

/** Bytes missing, in the cell. */
export function Holds({ registry, bill, estate }: { registry: Registry; bill: Bill | undefined; estate: Estate }) {
  const findings = useContext(MarginContext);
  const seen = estate.observed.registries[registry.name];
  const { name } = registry;
  const users = estate.charters.filter((c) => c.mirror === name && bill && billsOf(c).includes(bill.name));
  if (!bill || !seen || (seen.error && !holdsCount(seen)))
    return <td className="text-ink-3">{!bill ? '…' : seen?.error ? 'out of reach' : 'not looked at'}</td>;
  const lack = missing(bill, heldBy(seen, registry));
  const all = sizeOf(bill);
  const share = all.declaredBytes ? 1 - lack.declaredBytes / all.declaredBytes : 0;
  const text =
    lack.images.length === 0
      ? 'whole'
      : share < 0.001 || lack.blobs === all.blobs
        ? users.length
          ? `${bytesText(lack.declaredBytes)} short`
          : 'not wanted'
        : users.length
          ? `${bytesText(lack.declaredBytes)} short`
          : 'not wanted';
  const i = lack.images.length
    ? findings.findIndex((f) => f.code === 'IMG-001' && users.some((c) => c.name === f.subject.name))
    : -1;
  return (
    <td>
      <span className="flex items-center gap-1.5 whitespace-nowrap" title={`${all.blobs - lack.blobs} of ${all.blobs} layers`}>
        <span className="h-[9px] w-[38px] shrink-0 border border-rule-2">
          <span
            className={`block h-full ${!lack.images.length ? 'bg-verdigris' : users.length ? 'bg-ochre' : 'bg-slate'}`}
            style={{ width: `${Math.max(lack.images.length ? 0 : 100, share * 100)}%` }}
          />
        </span>
        <span className={text.startsWith('not') ? 'text-ink-3' : ''}>{text}</span>
        {i >= 0 && <FindingMarker severity={findings[i]?.severity ?? 'stop'} number={i + 1} id={findings[i]?.id ?? ''} />}
      </span>
    </td>
  );
}
