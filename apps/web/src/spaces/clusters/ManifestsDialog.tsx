import { installs, ownAddon, wishedName } from '@praesidor/core/applications';
import { type Charter, readManifests } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useDeferredValue, useState } from 'react';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { FilePicker } from '../../parts/FilePicker.tsx';

const box = 'w-full border border-rule-2 bg-leaf px-2 py-1';

/** Manifests of somebody's own become an add-on of the estate, and of a cluster, in one act. */
export function ManifestsDialog({ charter, onClose }: { charter: Charter; onClose: () => void }) {
  const estate = useSnapshot().data?.estate;
  const [written, setText] = useState('');
  // Much text takes longer to be read than a key to be shown.
  const text = useDeferredValue(written);
  const [fields, setFields] = useState<{ name?: string; title?: string; version?: string; source?: string }>({});
  const set = (field: keyof typeof fields) => (e: { target: { value: string } }) =>
    setFields((now) => ({ ...now, [field]: e.target.value }));
  const taken = new Set(estate?.addons.map((a) => a.name));
  const sources = (estate?.registries ?? []).filter((r) => r.role === 'source').map((r) => r.name);
  const wished = text.trim() ? wishedName(text, taken) : '';
  const name = fields.name ?? wished;
  const of = {
    name,
    title: fields.title ?? name,
    version: fields.version ?? '1',
    source: fields.source ?? estate?.releases.find((r) => r.name === charter.release)?.source ?? sources[0] ?? '',
  };
  const read = text.trim() ? ownAddon(text, of) : undefined;
  const faults = read && 'faults' in read ? read.faults : taken.has(name) ? [`There is an add-on ${name} already.`] : [];
  const addon = read && 'addon' in read && !faults.length ? read.addon : undefined;
  const { objects, images } = readManifests(addon?.manifests ?? '');
  const kinds = new Map<string, number>();
  for (const o of objects) kinds.set(o.kind, (kinds.get(o.kind) ?? 0) + 1);
  return (
    <EditsDialog
      title={`Install manifests on ${charter.name}`}
      about="They become an add-on that other clusters can have too. The next change of the cluster installs them as they stand, when their images are at the mirror."
      edits={addon ? [{ op: 'put', doc: addon }, ...installs(charter, addon)] : []}
      why={`install ${name || 'manifests'} on ${charter.name}`}
      label="Install"
      done={`${of.title}: in the charter of ${charter.name}; it comes with the next change.`}
      folded
      onClose={onClose}
    >
      <Field label="Manifests" wrong={faults.length ? faults.slice(0, 4).join(' ') : undefined}>
        {(id) => (
          <div className="flex flex-col items-start gap-1.5">
            <textarea
              id={id}
              rows={9}
              spellCheck={false}
              className={`${box} mono whitespace-pre! text-sm`}
              placeholder="Kubernetes objects as YAML, with --- between them"
              value={written}
              onChange={(e) => setText(e.target.value)}
            />
            <FilePicker accept=".yaml,.yml,.json" onText={setText} />
          </div>
        )}
      </Field>
      {text.trim() !== '' && (
        <>
          <Field label="Name">{(id) => <Input id={id} value={name} autoComplete="off" onChange={set('name')} />}</Field>
          <Field label="Title">{(id) => <Input id={id} value={of.title} autoComplete="off" onChange={set('title')} />}</Field>
          <Field label="Version">
            {(id) => <Input id={id} value={of.version} autoComplete="off" onChange={set('version')} />}
          </Field>
          <Field label="Images come from">
            {(id) => (
              <select id={id} className={box} value={of.source} onChange={set('source')}>
                {sources.map((s) => (
                  <option key={s}>{s}</option>
                ))}
              </select>
            )}
          </Field>
        </>
      )}
      {addon && (
        <Field label="Found in them">
          {() => (
            <>
              <div>{[...kinds].map(([kind, n]) => (n > 1 ? `${n} × ${kind}` : kind)).join(', ')}</div>
              <div className="text-ink-2">
                {counted(images.length, 'image')}, which {images.length === 1 ? 'comes' : 'come'} into the bill:
              </div>
              {images.map((i) => (
                <div key={i} className="mono wrap-anywhere whitespace-normal! text-sm">
                  {i}
                </div>
              ))}
            </>
          )}
        </Field>
      )}
    </EditsDialog>
  );
}
