import { ImportTable } from '../../parts/ImportTable.tsx';

const kinds = {
  new: { word: 'new', tone: 'text-verdigris', take: true },
  changed: { word: 'changed', tone: 'text-ochre', take: true },
  wrong: { word: 'wrong', tone: 'text-brick', take: false },
};

/** A table of reservations. */
export const ImportDialog = ({ site, onClose }: { site: string; onClose: () => void }) => (
  <ImportTable<'new' | 'changed', { new: number; changed: number; act?: number }>
    title="Import reservations"
    about="A table with a line of headers: address, name, MAC, owner, network, note. The network is that of the address where no column names it."
    at="/api/addresses"
    site={site}
    example={'address,name,mac,owner\n10.62.8.70,crane,72:b5:e8:12:9e:10,crane desk'}
    column="Address"
    subject={(l) => (l as unknown as { address: string }).address}
    kinds={kinds}
    done={(r) => `${r.new} reservations added, ${r.changed} changed.`}
    onClose={onClose}
  />
);
