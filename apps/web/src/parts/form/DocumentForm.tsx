import { type Estate, followsFor, type Kind, optionsFor, type RawDocument, type Shape, shapeOf } from '@praesidor/core/model';
import { createContext, useContext, useEffect, useId, useMemo, useState } from 'react';
import { FormProvider, useController, useForm, useFormContext } from 'react-hook-form';
import { At } from '../FindingMarker.tsx';
import { FilePicker } from '../FilePicker.tsx';
import { resolverOf } from './resolver.ts';
import { fromTyped, toTyped } from './typed.ts';

export type FieldPath = (string | number)[];
interface Around {
  kind: Kind;
  raw: RawDocument;
  /** What stands around the document, with the others of the text among it. */
  estate: Estate;
  follows: Readonly<Record<string, unknown>>;
  set: (path: FieldPath, value: unknown) => void;
}
const AroundContext = createContext<Around | undefined>(undefined);
const useAround = () => useContext(AroundContext) as Around;
const boxed = 'w-full border border-rule-2 bg-leaf px-2 py-1 disabled:text-ink-3';

/**
 * The form of a document, from the schema and the words of its kind. What is typed goes out at once, and comes back with the
 * document: the text beside is the same document.
 */
export function DocumentForm({
  kind,
  raw,
  estate,
  onSet,
  only,
}: {
  kind: Kind;
  raw: RawDocument;
  estate: Estate;
  onSet: (path: FieldPath, value: unknown) => void;
  /** One field of it alone. */
  only?: string;
}) {
  const resolver = useMemo(() => resolverOf(kind), [kind]);
  const form = useForm<RawDocument>({ values: raw, resolver, mode: 'onChange' });
  const { trigger } = form;
  useEffect(() => {
    if (raw) void trigger();
  }, [raw, trigger]);
  const around = useMemo(
    () => ({ kind, raw, estate, follows: followsFor(kind, raw, estate), set: onSet }),
    [kind, raw, estate, onSet],
  );
  return (
    <AroundContext value={around}>
      <FormProvider {...form}>
        {only ? (
          shapeOf(kind)
            .filter((s) => s.key === only)
            .map((s) => <OneField key={s.path} shape={s} path={[s.key]} />)
        ) : (
          <FieldList shapes={shapeOf(kind).filter((s) => !s.words.by)} below={[]} />
        )}
      </FormProvider>
    </AroundContext>
  );
}

const filled = (v: unknown): boolean =>
  v !== undefined && v !== null && v !== '' && (typeof v !== 'object' || Object.values(v as object).some(filled));
const valueAt = (raw: unknown, path: FieldPath): unknown =>
  path.reduce<unknown>((v, k) => (v === null || v === undefined ? undefined : (v as Record<string, unknown>)[k]), raw);

/** Fields below one another; those that are rarely set are folded away while they are empty. */
function FieldList({ shapes, below }: { shapes: Shape[]; below: FieldPath }) {
  const { raw } = useAround();
  const [open, setOpen] = useState(false);
  const folds = (s: Shape) => s.words.rare && !filled(valueAt(raw, [...below, s.key]));
  const rare = shapes.filter(folds);
  const shown = open ? shapes : shapes.filter((s) => !folds(s));
  return (
    <>
      {shown.map((s) => (
        <OneField key={s.path} shape={s} path={[...below, s.key]} />
      ))}
      {rare.length > 0 && (
        <button
          type="button"
          aria-expanded={open}
          className="py-1 text-sm text-verdigris hover:underline"
          onClick={() => setOpen(!open)}
          title={open ? '' : rare.map((s) => s.words.label).join(', ')}
        >
          {open ? 'Fewer fields' : `${rare.length} more ${rare.length === 1 ? 'field' : 'fields'}`}
        </button>
      )}
    </>
  );
}

function OneField({ shape, path }: { shape: Shape; path: FieldPath }) {
  if (shape.type === 'group')
    return (
      <section role="group" aria-label={shape.words.label} className="mt-1 border-rule border-t pt-1.5">
        <div className="font-semibold">{shape.words.label}</div>
        {shape.words.help && <div className="text-ink-3 text-sm">{shape.words.help}</div>}
        <FieldList shapes={(shape.fields ?? []).filter((s) => !s.words.by)} below={path} />
      </section>
    );
  if (shape.type === 'rows') return <Rows shape={shape} path={path} />;
  return <Value shape={shape} path={path} />;
}

/** A group that lost its last value goes with it. */
function useSet() {
  const { raw, set, kind } = useAround();
  return (shape: Shape, path: FieldPath, value: unknown) => {
    const parent = path.slice(0, -1);
    const group = parent.length === 1 ? shapeOf(kind).find((s) => s.key === parent[0] && s.type === 'group') : undefined;
    const others = { ...(valueAt(raw, parent) as object), [shape.key]: value };
    if (group && !group.required && !filled(others)) set(parent, undefined);
    else set(path, value === undefined && shape.required ? (shape.type === 'texts' ? [] : null) : value);
  };
}

/** Label, value, what is wrong with it or what it is for. A value that follows is plum, as everywhere. */
function Value({ shape, path }: { shape: Shape; path: FieldPath }) {
  const id = useId();
  const { raw, follows, kind } = useAround();
  const { control } = useFormContext<RawDocument>();
  const { field, fieldState } = useController({ name: path.join('.'), control });
  const put = useSet();
  const value = valueAt(raw, path);
  const followed = path.length === 1 && filled(value) && JSON.stringify(follows[shape.key]) === JSON.stringify(value);
  const wrong = filled(value) ? fieldState.error?.message : undefined;
  const name = kind === 'Record' ? '' : String(raw.name ?? '');
  return (
    <div
      className={`grid grid-cols-[122px_minmax(0,1fr)] gap-x-3 py-0.5 ${shape.words.lines ? 'items-start' : 'items-baseline'}`}
      data-field={path.join('.')}
    >
      <label htmlFor={id} className="text-ink-2">
        {shape.words.label}
        <At kind={kind} name={name} path={path.join('.')} />
      </label>
      <div className="flex items-baseline gap-2">
        {followed && (
          <span className="text-plum" title="follows; what you type is set instead">
            ↳
          </span>
        )}
        <div className="min-w-0 flex-1">
          <Control
            id={id}
            shape={shape}
            value={value}
            wrong={wrong}
            followed={followed}
            onSet={(v) => {
              field.onChange(v ?? null);
              put(shape, path, v);
            }}
          />
        </div>
        {shape.words.unit && <span className="shrink-0 text-ink-3">{shape.words.unit}</span>}
      </div>
      {(wrong || shape.words.help || (shape.required && !filled(value))) && (
        <div
          className={`col-start-2 text-sm ${wrong ? 'text-brick' : 'text-ink-3'}`}
          id={`${id}-help`}
          role={wrong ? 'alert' : undefined}
        >
          {wrong ?? [shape.required && !filled(value) ? 'Required.' : '', shape.words.help].filter(Boolean).join(' ')}
        </div>
      )}
    </div>
  );
}

interface ControlProps {
  id: string;
  shape: Shape;
  value: unknown;
  wrong: string | undefined;
  followed: boolean;
  onSet: (value: unknown) => void;
}

function Control(p: ControlProps) {
  const { estate, raw } = useAround();
  const { words, type, options } = p.shape;
  const names = useMemo(() => (words.refers ? optionsFor(words.refers, estate, raw) : []), [words.refers, estate, raw]);
  if (type === 'yes-no')
    return (
      <input
        id={p.id}
        type="checkbox"
        checked={p.value === true}
        onChange={(e) => p.onSet(e.target.checked ? true : undefined)}
      />
    );
  if (type === 'choice') return <Choice {...p} list={options ?? []} />;
  if (type === 'texts' && (options || (words.refers && names.length > 0 && names.length <= 12)))
    return <Several {...p} list={options ?? names} />;
  // An entry of the keyring can be named before it is there; anything else that is referred to stands.
  if (type === 'text' && words.refers && !('key' in words.refers) && names.length > 0) return <Choice {...p} list={names} />;
  return <Typed {...p} suggestions={names} />;
}

function Choice({ id, shape, value, wrong, onSet, list }: ControlProps & { list: string[] }) {
  const given = typeof value === 'string' ? value : '';
  return (
    <select
      id={id}
      className={boxed}
      value={given}
      aria-invalid={!!wrong}
      aria-describedby={`${id}-help`}
      onChange={(e) => onSet(e.target.value || undefined)}
    >
      {(!shape.required || !given) && (
        <option value="">{shape.fallback === undefined ? '—' : `${String(shape.fallback)} (as usual)`}</option>
      )}
      {given && !list.includes(given) && <option value={given}>{given}</option>}
      {list.map((o) => (
        <option key={o} value={o}>
          {shape.words.choices?.[o] ?? o}
        </option>
      ))}
    </select>
  );
}

/** Several of a few. */
function Several({ id, shape, value, onSet, list }: ControlProps & { list: string[] }) {
  const chosen = Array.isArray(value) ? value.map(String) : [];
  const all = [...new Set([...list, ...chosen])];
  return (
    <span id={id} role="group" aria-label={shape.words.label} className="flex flex-wrap gap-x-4 gap-y-0.5">
      {all.map((o) => (
        <label key={o} className="flex items-baseline gap-1.5">
          <input
            type="checkbox"
            checked={chosen.includes(o)}
            onChange={(e) => {
              const next = all.filter((x) => (x === o ? e.target.checked : chosen.includes(x)));
              onSet(next.length ? next : undefined);
            }}
          />
          {shape.words.choices?.[o] ?? o}
        </label>
      ))}
    </span>
  );
}

/** Text as it is being typed; the document has what it means. It is not written over while somebody is at it. */
function Typed({ id, shape, value, wrong, followed, onSet, suggestions }: ControlProps & { suggestions: string[] }) {
  const [typing, setTyping] = useState<string>();
  const text = typing ?? toTyped(shape, value);
  const common = {
    id,
    value: text,
    className: `${boxed} ${shape.words.mono ? 'mono' : ''} ${followed ? 'text-plum' : ''}`,
    placeholder:
      shape.fallback === undefined || typeof shape.fallback === 'object' ? (shape.words.example ?? '') : String(shape.fallback),
    'aria-invalid': !!wrong,
    'aria-required': shape.required,
    'aria-describedby': `${id}-help`,
    spellCheck: false,
    onChange: (e: { target: { value: string } }) => {
      setTyping(e.target.value);
      onSet(fromTyped(shape, e.target.value));
    },
    onBlur: () => setTyping(undefined),
  };
  if (shape.words.lines)
    return (
      <div className="flex items-start gap-2">
        <textarea {...common} rows={3} />
        {shape.words.file && <FilePicker accept={shape.words.file} onText={(t) => onSet(fromTyped(shape, t))} />}
      </div>
    );
  return (
    <>
      <input
        {...common}
        inputMode={shape.type === 'number' ? 'decimal' : undefined}
        list={suggestions.length ? `${id}-list` : undefined}
        autoComplete="off"
      />
      {suggestions.length > 0 && (
        <datalist id={`${id}-list`}>
          {suggestions.slice(0, 200).map((s) => (
            <option key={s} value={s} />
          ))}
        </datalist>
      )}
    </>
  );
}

/** A list of small things, a row each. */
function Rows({ shape, path }: { shape: Shape; path: FieldPath }) {
  const { raw, set } = useAround();
  const rows = valueAt(raw, path);
  const list = Array.isArray(rows) ? rows : [];
  const fields = (shape.fields ?? []).filter((s) => !s.words.by);
  const wide = fields.length > 4;
  return (
    <section className="border-rule border-t py-1.5" aria-label={shape.words.label}>
      <div className="flex items-baseline justify-between gap-3">
        <span className="font-semibold">
          {shape.words.label}
          {list.length > 0 && <span className="ml-1.5 font-normal text-ink-3">{list.length}</span>}
        </span>
        <button
          type="button"
          className="font-semibold text-sm text-verdigris hover:underline"
          onClick={() => set(path, [...list, {}])}
        >
          Add
        </button>
      </div>
      {shape.words.help && <div className="text-ink-3 text-sm">{shape.words.help}</div>}
      {list.map((row, i) => (
        // A row has no name of its own: its place is what tells it.
        // biome-ignore lint/suspicious/noArrayIndexKey: see above
        <div key={i} className={`flex items-start gap-2 py-0.5 ${wide ? 'border-rule border-b' : ''}`}>
          <div
            className={wide ? 'min-w-0 flex-1' : 'grid min-w-0 flex-1 gap-x-2'}
            style={wide ? {} : { gridTemplateColumns: fields.map((f) => `minmax(0, ${f.words.mono ? 1.8 : 1}fr)`).join(' ') }}
          >
            {fields.map((s) =>
              wide ? (
                <OneField key={s.key} shape={s} path={[...path, i, s.key]} />
              ) : (
                <Cell key={s.key} shape={s} path={[...path, i, s.key]} at={i} />
              ),
            )}
          </div>
          <button
            type="button"
            className="py-1 text-ink-3 hover:text-ink"
            aria-label={`Remove ${(row as { name?: string })?.name ?? `row ${i + 1}`} from ${shape.words.label.toLowerCase()}`}
            onClick={() => set(path, list.length === 1 && !shape.required ? undefined : list.filter((_, k) => k !== i))}
          >
            ×
          </button>
        </div>
      ))}
    </section>
  );
}

/** A field in a row: its label above the first one only. */
function Cell({ shape, path, at }: { shape: Shape; path: FieldPath; at: number }) {
  const id = useId();
  const { raw } = useAround();
  const { control } = useFormContext<RawDocument>();
  const { field, fieldState } = useController({ name: path.join('.'), control });
  const put = useSet();
  const value = valueAt(raw, path);
  const wrong = filled(value) ? fieldState.error?.message : undefined;
  return (
    <div>
      <label htmlFor={id} className={at ? 'sr-only' : 'block truncate text-ink-3 text-sm'}>
        {shape.words.label}
        {shape.words.unit ? `, ${shape.words.unit}` : ''}
        {at ? ` ${at + 1}` : ''}
      </label>
      <Control
        id={id}
        shape={shape}
        value={value}
        wrong={wrong}
        followed={false}
        onSet={(v) => {
          field.onChange(v ?? null);
          put(shape, path, v);
        }}
      />
      {wrong && (
        <div className="text-brick text-sm" id={`${id}-help`} role="alert">
          {wrong}
        </div>
      )}
    </div>
  );
}
