import { commandOf, curlOf } from '@praesidor/core/words';
import { useState } from 'react';
import type { Call } from '../api/client.ts';
import { Copy } from './Copy.tsx';

/** Accounts, tokens and how people sign in are no program’s: with a token nothing is done to them. */
const personal = /^\/api\/(accounts|me|sign-in)\b/;

/** The same act as a command and as a call of the API, to copy: made of the request that the dialog sends. */
export function SameAct({ same }: { same: () => Call }) {
  const [open, setOpen] = useState(false);
  const request = same();
  if (personal.test(request.path)) return null;
  const at = window.location.origin;
  const lines = open
    ? [
        ['On the command line', commandOf(request, at)],
        ['Over HTTP', curlOf(request, at)],
      ]
    : [];
  return (
    <div className="border-rule border-t px-5 py-2">
      <button type="button" aria-expanded={open} className="text-ink-2 text-sm hover:underline" onClick={() => setOpen(!open)}>
        As a command…
      </button>
      {lines.map(([what, text]) => (
        <p key={what} className="pt-1 text-sm">
          <span className="block text-ink-2">{what}</span>
          <Copy text={text as string} className="mono whitespace-normal! block max-h-24 overflow-y-auto break-all" />
        </p>
      ))}
    </div>
  );
}
