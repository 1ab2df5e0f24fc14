import { complete, type HostFilter } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';
import { useId, useMemo, useRef, useState } from 'react';

const roles = ['control-plane', 'worker', 'storage', 'registry', 'edge'];

/** The filter by facts: what could stand at the cursor is offered, what cannot be read is told with its place. */
export function FilterField({
  text,
  onText,
  filter,
  hosts,
}: {
  text: string;
  onText: (text: string) => void;
  filter: HostFilter;
  hosts: readonly Host[];
}) {
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
  const [cursor, setCursor] = useState<number>();
  const [at, setAt] = useState(0);
  const offers = useMemo(
    () => (cursor === undefined ? [] : complete(text, cursor, hosts, roles).filter((o) => o.text !== text.slice(o.from, o.to))),
    [text, cursor, hosts],
  );
  const take = (i: number) => {
    const o = offers[i];
    if (!o) return;
    const open = /(:|>=)$/.test(o.text);
    const next = `${text.slice(0, o.from)}${o.text}${open ? '' : ' '}${text.slice(o.to).trimStart()}`;
    const place = o.from + o.text.length + (open ? 0 : 1);
    onText(next);
    setCursor(place);
    setAt(0);
    requestAnimationFrame(() => input.current?.setSelectionRange(place, place));
  };
  const open = offers.length > 0;
  return (
    <div className="relative flex-1">
      <input
        ref={input}
        role="combobox"
        aria-label="Filter hosts by facts"
        aria-expanded={open}
        aria-controls={`${id}-offers`}
        aria-activedescendant={open ? `${id}-${at}` : undefined}
        aria-invalid={filter.wrong.length > 0}
        aria-describedby={filter.wrong.length ? `${id}-wrong` : undefined}
        value={text}
        autoComplete="off"
        spellCheck={false}
        onChange={(e) => {
          onText(e.target.value);
          setCursor(e.target.selectionStart ?? e.target.value.length);
          setAt(0);
        }}
        onFocus={(e) => setCursor(e.target.selectionStart ?? 0)}
        onClick={(e) => setCursor(e.currentTarget.selectionStart ?? 0)}
        onBlur={() => setCursor(undefined)}
        onKeyDown={(e) => {
          if (!open) return;
          if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
            e.preventDefault();
            setAt((at + (e.key === 'ArrowDown' ? 1 : offers.length - 1)) % offers.length);
          } else if (e.key === 'Tab' && !e.shiftKey) {
            e.preventDefault();
            take(at);
          } else if (e.key === 'Escape') {
            e.preventDefault();
            setCursor(undefined);
          }
        }}
        placeholder="zone:A,B memory>=64GiB fit:worker state:fit disk.nvme>=2"
        className="mono w-full border border-rule-2 bg-leaf px-2.5 py-1.5"
      />
      {open && (
        <div
          id={`${id}-offers`}
          role="listbox"
          aria-label="Facts to filter by"
          className="absolute top-full right-0 left-0 z-30 max-h-72 overflow-auto border border-rule-2 border-t-0 bg-paper py-1"
        >
          {offers.map((o, i) => (
            <div
              key={o.text}
              id={`${id}-${i}`}
              role="option"
              aria-selected={i === at}
              onMouseDown={(e) => {
                e.preventDefault();
                take(i);
              }}
              className={`flex cursor-pointer justify-between gap-4 px-2.5 py-0.5 ${i === at ? 'lit' : ''}`}
            >
              <span className="mono">{o.text}</span>
              <span className="text-ink-3">
                {o.about}
                {i === at && <kbd className="mono ml-3 text-ink-2">Tab</kbd>}
              </span>
            </div>
          ))}
        </div>
      )}
      {filter.wrong.length > 0 && (
        <div id={`${id}-wrong`} className="pt-1 text-brick">
          {filter.wrong.map((w) => w.message).join('; ')}
        </div>
      )}
    </div>
  );
}
