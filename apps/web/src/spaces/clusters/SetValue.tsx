import { type KeyboardEvent, useState } from 'react';
import type { SheetField } from './fields.ts';

const shown = (v: unknown) =>
  Array.isArray(v)
    ? v.map((x) => (String(x).length > 40 ? `${String(x).slice(0, 14)}…${String(x).slice(-26)}` : x)).join(', ')
    : v === undefined
      ? ''
      : String(v);

/** A value that is set: dotted underline; Enter or a click edits it in place, Escape takes back. */
export function SetValue({
  field,
  value,
  options,
  computed,
  changed,
  wrong,
  onSet,
}: {
  field: SheetField;
  value: unknown;
  options: string[];
  /** What stands for it while it is not set. */
  computed?: string | number | undefined;
  changed: boolean;
  wrong: boolean;
  onSet: (v: unknown) => void;
}) {
  const [editing, setEditing] = useState<string>();
  const look = `${field.mono ? 'mono' : ''} ${wrong ? 'border border-brick bg-brick-tint' : 'set'} min-w-0 flex-1 truncate py-px text-left ${changed ? 'font-semibold' : ''}`;
  /** What stands there while nothing is set. */
  const unset = !field.follows ? '—' : computed === undefined ? 'follows' : `follows: ${computed}`;
  const parse = (text: string): unknown => {
    const t = text.trim();
    if (field.kind === 'list') return t ? t.split(/\s*[,;\n]\s*/).filter(Boolean) : [];
    if (!t && (field.follows || field.path[0] === 'servicePool')) return undefined;
    return field.kind === 'number' && t !== '' && !Number.isNaN(Number(t)) ? Number(t) : t;
  };
  const done = (text: string) => {
    setEditing(undefined);
    const next = parse(text);
    if (JSON.stringify(next) !== JSON.stringify(value)) onSet(next);
  };
  if (field.kind === 'choice') {
    const all = value !== undefined && !options.includes(String(value)) ? [String(value), ...options] : options;
    return (
      <select
        aria-label={field.label}
        data-field={field.path.join('.')}
        value={String(value ?? '')}
        onChange={(e) => onSet(e.target.value || undefined)}
        className={`${look} bg-paper ${value === undefined ? 'text-ink-3' : ''}`}
      >
        {(value === undefined || field.follows) && <option value="">{unset}</option>}
        {all.map((o) => (
          <option key={o}>{o}</option>
        ))}
      </select>
    );
  }
  if (editing === undefined)
    return (
      <button
        type="button"
        data-edits
        data-field={field.path.join('.')}
        aria-label={`${field.label}: ${shown(value) ? `${shown(value)}${field.unit ? ` ${field.unit}` : ''}` : unset}, edit`}
        className={look}
        title={Array.isArray(value) ? value.join('\n') : undefined}
        onClick={() => setEditing(Array.isArray(value) ? value.join(', ') : shown(value))}
      >
        {value === undefined || value === '' ? <span className="text-ink-3">{unset}</span> : shown(value)}
        {value !== undefined && field.unit && <span className={wrong ? 'text-ink' : 'text-ink-3'}> {field.unit}</span>}
      </button>
    );
  const onKey = (e: KeyboardEvent<HTMLInputElement>) => {
    if (e.key === 'Enter') done(editing);
    if (e.key === 'Escape') {
      e.stopPropagation();
      setEditing(undefined);
    }
  };
  return (
    <input
      // biome-ignore lint/a11y/noAutofocus: the person has just asked to edit this value
      autoFocus
      aria-label={field.label}
      value={editing}
      placeholder={field.hint ?? (field.follows ? 'empty: it follows' : '')}
      onChange={(e) => setEditing(e.target.value)}
      onKeyDown={onKey}
      onBlur={() => done(editing)}
      className={`${field.mono ? 'mono' : ''} min-w-0 flex-1 border border-ink bg-leaf px-1`}
    />
  );
}
