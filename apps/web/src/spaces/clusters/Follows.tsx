import { type Follow, type Reason, reasonText } from '@praesidor/core/charter';
import { Popover } from 'radix-ui';
import { useRef } from 'react';
import { fields } from './fields.ts';

/** The field of a reason, where the sheet shows it. */
const fieldOf = (r: Reason) => {
  const path = r.field?.join('.');
  return path !== undefined && fields.some((f) => f.path.join('.') === path) ? path : undefined;
};

/** A value that was computed: plum, with its arrow; asked why, it answers with the chain it came from, each link leading to its field. */
export function Follows({ follow }: { follow: Follow }) {
  const to = useRef<string>(undefined);
  return (
    <Popover.Root>
      <Popover.Trigger
        className={`follows min-w-0 text-left [overflow-wrap:anywhere] hover:underline hover:decoration-dotted ${follow.mono ? 'font-mono text-[12.5px]' : ''}`}
        title={follow.why.map(reasonText).join('\n')}
      >
        ↳ {follow.text}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          className="z-50 max-w-[420px] border border-rule-2 bg-leaf px-3.5 py-2.5"
          onCloseAutoFocus={(e) => {
            if (!to.current) return;
            e.preventDefault();
            document.querySelector<HTMLElement>(`main [data-field="${CSS.escape(to.current)}"]`)?.focus();
            to.current = undefined;
          }}
        >
          <div className="font-semibold">Why {follow.label.toLowerCase()}?</div>
          <ol className="list-decimal pl-4 text-ink-2">
            {follow.why.map((r) => {
              const text = reasonText(r);
              const field = fieldOf(r);
              return (
                <li key={text}>
                  {field ? (
                    <Popover.Close
                      className="text-left text-verdigris underline decoration-dotted"
                      onClick={() => {
                        to.current = field;
                      }}
                    >
                      {text}
                    </Popover.Close>
                  ) : (
                    text
                  )}
                </li>
              );
            })}
          </ol>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
