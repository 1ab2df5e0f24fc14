import type { Follow } from '@praesidor/core/charter';
import { Popover } from 'radix-ui';

/** A value that was computed: plum, with its arrow; asked why, it answers with the chain it came from. */
export function Follows({ follow }: { follow: Follow }) {
  return (
    <Popover.Root>
      <Popover.Trigger
        className={`follows min-w-0 text-left [overflow-wrap:anywhere] hover:underline hover:decoration-dotted ${follow.mono ? 'font-mono text-[12.5px]' : ''}`}
        title={follow.why.join('\n')}
      >
        ↳ {follow.text}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} className="z-50 max-w-[420px] border border-rule-2 bg-leaf px-3.5 py-2.5">
          <div className="font-semibold">Why {follow.label.toLowerCase()}?</div>
          <ol className="list-decimal pl-4 text-ink-2">
            {follow.why.map((w) => (
              <li key={w}>{w}</li>
            ))}
          </ol>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
