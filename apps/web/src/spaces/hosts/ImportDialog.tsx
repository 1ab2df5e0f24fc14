import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { ImportTable } from '../../parts/ImportTable.tsx';

/** A table of machines; one that we have under another name is left out or merged, by choice. */
export function ImportDialog({ site, onClose }: { site: string; onClose: () => void }) {
  const [merge, setMerge] = useState(false);
  return (
    <ImportTable<'new' | 'changed' | 'double', { taken: number; act?: number }>
      title="Import hosts"
      about="A table with a line of headers: name, site, rack, unit, BMC address, serial, cores, memory, disks, MACs. What was read over a controller is not overwritten by what was typed."
      at="/api/hosts"
      site={site}
      example={
        'name,rack,unit,bmc address,serial,cores,memory,disks,macs\nbw-15,R2,32,10.40.7.25,HW40015B,32,128 GiB,480 1920,52:8a:1c:10:0f:01'
      }
      column="Host"
      subject={(l) => (l as unknown as { name: string }).name}
      kinds={{
        new: { word: 'new', tone: 'text-verdigris', take: true },
        changed: { word: 'changed', tone: 'text-ochre', take: true },
        double: { word: merge ? 'merged' : 'known already', tone: 'text-plum', take: merge },
        wrong: { word: 'wrong', tone: 'text-brick', take: false },
      }}
      choices={(p) =>
        p.counts.double > 0 && (
          <label className="flex items-center gap-2 pt-2">
            <input type="checkbox" checked={merge} onChange={(e) => setMerge(e.target.checked)} /> merge the {p.counts.double}{' '}
            that we have under another name into those entries; otherwise they are left out
          </label>
        )
      }
      also={{ doubles: merge ? 'merge' : 'skip' }}
      done={(r) => `${counted(r.taken, 'host')} taken.`}
      onClose={onClose}
    />
  );
}
