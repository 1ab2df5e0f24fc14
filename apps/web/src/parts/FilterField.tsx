import type { Completion, Filter } from '@praesidor/core/words';
import { useId, useLayoutEffect, useMemo, useRef, useState } from 'react';

/** The filter by facts: what could stand at the cursor is offered, what cannot be read is told with its place. */
export function FilterField({
  of,
  example,
  text,
  onText,
  filter,
  complete,
}: {
  /** What is filtered, in the plural. */
  of: string;
  example: string;
  text: string;
  onText: (text: string) => void;
  filter: Pick<Filter<never>, 'wrong'>;
  /** What could stand at the cursor. It stays the same function while what it offers does. */
  complete: (text: string, cursor: number) => Completion[];
}) {
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
  const [cursor, setCursor] = useState<number>();
  const [at, setAt] = useState(0);
  /** Where the caret goes once a text that was taken stands: before the next key, or what is typed on goes elsewhere. */
  const caret = useRef<{ text: string; place: number }>(undefined);
  useLayoutEffect(() => {
    const to = caret.current;
    if (!to || input.current?.value !== to.text) return;
    input.current.setSelectionRange(to.place, to.place);
    caret.current = undefined;
  });
  const offers = useMemo(
    () => (cursor === undefined ? [] : complete(text, cursor).filter((o) => o.text !== text.slice(o.from, o.to))),
    [text, cursor, complete],
  );
  const take = (i: number) => {
    const o = offers[i];
    if (!o) return;
    const open = /(:|>=)$/.test(o.text);
    const next = `${text.slice(0, o.from)}${o.text}${open ? '' : ' '}${text.slice(o.to).trimStart()}`;
    const place = o.from + o.text.length + (open ? 0 : 1);
    caret.current = { text: next, place };
    onText(next);
    setCursor(place);
    setAt(0);
  };
  const open = offers.length > 0;
  return (
    <div className="relative flex-1">
      <input
        ref={input}
        role="combobox"
        aria-label={`Filter ${of} by facts`}
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
        placeholder={example}
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
