import { Dialog } from '../parts/Dialog.tsx';
import { useView } from '../state/view.ts';
import { besides, tabs } from './tabs.ts';

export default function Keys() {
  const openKeys = useView((s) => s.openKeys);
  const rows: [string, string][] = [
    ...[...tabs, ...besides].map((t): [string, string] => [`G ${t.key.toUpperCase()}`, t.label]),
    ['/ or Ctrl-K', 'go to anything, or do it'],
    ['N', 'next finding in the margin; Shift-N the one before'],
    ['J and K', 'rows'],
    ['Enter', 'open the row, or edit the value'],
    ['F', 'reserve the next free address (Addresses)'],
    ['Escape', 'take back'],
  ];
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
