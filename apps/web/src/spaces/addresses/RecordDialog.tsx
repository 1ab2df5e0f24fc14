import { RecordType } from '@praesidor/core/model';
import type { Zone } from '@praesidor/core/model';
import { useState } from 'react';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';

const examples: Record<string, string> = {
  A: '10.62.8.70',
  AAAA: 'fd00:62::70',
  CNAME: 'www.lr.kestrelferries.example',
  PTR: 'www.lr.kestrelferries.example',
  TXT: 'any text',
  SRV: '0 5 443 www.lr.kestrelferries.example',
  NS: 'ns1.lr.kestrelferries.example',
  MX: '10 mail.lr.kestrelferries.example',
  DNAME: 'other.kestrelferries.example',
};

/** A record by hand: for names that follow from nothing. */
export function RecordDialog({ zone, onClose }: { zone: Zone; onClose: () => void }) {
  const [name, setName] = useState('');
  const [type, setType] = useState<(typeof RecordType.options)[number]>('CNAME');
  const [value, setValue] = useState('');
  const [ttl, setTtl] = useState('');
  const doc = {
    apiVersion: 'praesidor/v1' as const,
    kind: 'Record' as const,
    zone: zone.name,
    name,
    type,
    value,
    ...(ttl ? { ttl: Number(ttl) } : {}),
  };
  return (
    <EditsDialog
      title="Add a record"
      about={`By hand, in ${zone.name}.`}
      edits={name && value ? [{ op: 'put', doc }] : []}
      why={`Record ${name} ${type}`}
      onClose={onClose}
    >
      <Field
        label="Name"
        hint={
          name && (
            <span className="follows">
              ↳ {name === '@' ? zone.name : name.endsWith(zone.name) ? name : `${name}.${zone.name}`}
            </span>
          )
        }
      >
        {(id) => (
          <Input
            id={id}
            value={name}
            placeholder="www, *.in, or @ for the zone itself"
            onChange={(e) => setName(e.target.value.trim().toLowerCase())}
          />
        )}
      </Field>
      <Field label="Type">
        {(id) => (
          <select
            id={id}
            value={type}
            onChange={(e) => setType(e.target.value as typeof type)}
            className="border border-rule-2 bg-leaf px-2 py-1"
          >
            {RecordType.options.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Value">
        {(id) => (
          <Input id={id} className="mono" value={value} placeholder={examples[type]} onChange={(e) => setValue(e.target.value)} />
        )}
      </Field>
      <Field label="Time to live" hint={ttl ? '' : <span className="follows">↳ {zone.ttl} s, the zone's</span>}>
        {(id) => <Input id={id} type="number" min={0} className="w-32!" value={ttl} onChange={(e) => setTtl(e.target.value)} />}
      </Field>
    </EditsDialog>
  );
}
