import { counted } from '@praesidor/core/words';
import { mergePrefixes, parsePrefix } from '@praesidor/core/address';
import { carveChild, merge, type Reshaped, resize, split } from '@praesidor/core/ledger';
import type { Estate, Network } from '@praesidor/core/model';
import { useMemo, useState } from 'react';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';

export type Shape = 'carve' | 'split' | 'merge' | 'resize';
const titles: Record<Shape, string> = { carve: 'Carve a child out of', split: 'Split', merge: 'Merge', resize: 'Resize' };

/** Another shape for a network: what it changes, what would be lost, and what the checks would find, before it is made. */
export function ReshapeDialog({
  shape,
  network,
  estate,
  onClose,
}: {
  shape: Shape;
  network: Network;
  estate: Estate;
  onClose: () => void;
}) {
  const length = parsePrefix(network.prefix).length;
  const v6 = network.prefix.includes(':');
  const [wanted, setWanted] = useState(Math.min(v6 ? 64 : 30, length + (shape === 'carve' ? 2 : 1)));
  const [prefix, setPrefix] = useState(network.prefix);
  const halves = estate.networks.filter(
    (n) =>
      n.name !== network.name && n.site === network.site && mergePrefixes(parsePrefix(n.prefix), parsePrefix(network.prefix)),
  );
  const [other, setOther] = useState(halves[0]?.name ?? '');
  const made = useMemo((): Reshaped => {
    if (shape === 'carve') return carveChild(estate, network, wanted);
    if (shape === 'split') return split(estate, network, wanted);
    if (shape === 'resize')
      return prefix === network.prefix ? { edits: [], moved: [], lost: [] } : resize(estate, network, prefix);
    const half = halves.find((n) => n.name === other);
    return half ? merge(estate, network, half) : { refused: 'no network of this site is the other half of its prefix' };
  }, [shape, estate, network, wanted, prefix, other, halves]);
  const fine = 'refused' in made ? { edits: [], moved: [], lost: [] } : made;
  const blocked =
    'refused' in made
      ? `${made.refused}.`
      : fine.lost.length
        ? `It cannot be made: ${fine.lost.slice(0, 6).join('; ')}${fine.lost.length > 6 ? `; and ${fine.lost.length - 6} more` : ''}.`
        : undefined;
  return (
    <EditsDialog
      title={`${titles[shape]} ${network.name}`}
      about={<span className="mono">{network.prefix}</span>}
      edits={fine.edits}
      why={`${titles[shape]} ${network.name}`}
      blocked={blocked}
      onClose={onClose}
    >
      {(shape === 'carve' || shape === 'split') && (
        <Field
          label="Prefix length"
          hint={
            shape === 'carve'
              ? 'the next free one of this length, around all that is in the network'
              : `${counted(2 ** Math.max(0, wanted - length), 'network')}; the first keeps the name`
          }
        >
          {(id) => (
            <Input
              id={id}
              type="number"
              className="w-24!"
              min={length + 1}
              max={v6 ? 128 : 32}
              value={wanted}
              onChange={(e) => setWanted(Number(e.target.value) || length + 1)}
            />
          )}
        </Field>
      )}
      {shape === 'resize' && (
        <Field label="Prefix" hint="wider or narrower; what lies in it stays where it is">
          {(id) => <Input id={id} className="mono" value={prefix} onChange={(e) => setPrefix(e.target.value.trim())} />}
        </Field>
      )}
      {shape === 'merge' && halves.length > 0 && (
        <Field label="With">
          {(id) => (
            <select
              id={id}
              value={other}
              onChange={(e) => setOther(e.target.value)}
              className="border border-rule-2 bg-leaf px-2 py-1"
            >
              {halves.map((n) => (
                <option key={n.name} value={n.name}>
                  {n.name}, {n.prefix}
                </option>
              ))}
            </select>
          )}
        </Field>
      )}
      {fine.moved.length > 0 && (
        <p className="pb-1 text-ink-2">{fine.moved.length} reservations go to another network with their addresses.</p>
      )}
    </EditsDialog>
  );
}
