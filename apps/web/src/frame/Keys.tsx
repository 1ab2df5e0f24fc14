import { useState } from 'react';
import { Dialog } from '../parts/Dialog.tsx';
import { useView } from '../state/view.ts';
import { keysHere } from './rows.ts';
import { secondaryTabs, tabs } from './tabs.ts';

export default function Keys() {
  const openKeys = useView((s) => s.openKeys);
  // As the view was when somebody asked: the dialog itself stands above it.
  const [here] = useState(() => keysHere(document));
  const rows: [string, string][] = [
    ...here,
    ...[...tabs, ...secondaryTabs].map((t): [string, string] => [`G ${t.key.toUpperCase()}`, t.label]),
    ['/ or Ctrl-K', 'go to anything, or do it'],
    ['F', 'reserve the next free address'],
    ['Escape', 'take back, close'],
  ].filter(([k], i, all) => all.findIndex(([x]) => x === k) === i) as [string, string][];
  return (
    <Dialog open onClose={() => openKeys(false)} title="Keys">
      <table className="grid-table">
        <tbody>
          {rows.map(([k, t]) => (
            <tr key={k}>
              <td className="mono w-40">{k}</td>
              <td>{t}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Dialog>
  );
}
