import type { Estate } from '@praesidor/core/model';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client.ts';
import { Button } from '../../parts/Button.tsx';
import { Refused } from '../../parts/Refused.tsx';

/** Images keep their own names; the runtime redirects the pull. This says where to, and measures whether it works. */
export function WhereFrom({ estate, site }: { estate: Estate; site: string }) {
  const charters = estate.charters.filter((c) => !site || c.site === site);
  const [charter, setCharter] = useState<string>();
  const name = charter ?? charters.find((c) => c.site === 'lr')?.name ?? charters[0]?.name ?? '';
  const c = estate.charters.find((x) => x.name === name);
  const images = estate.releases.find((r) => r.name === c?.release)?.components.map((x) => x.image) ?? [];
  const [typed, setTyped] = useState<string>();
  const image = typed ?? images[2] ?? '';
  const ask = useMutation({
    mutationFn: () => api<{ steps: { text: string; ok: boolean }[] }>('POST', '/api/images/where', { charter: name, image }),
  });
  if (!charters.length) return null;
  return (
    <section aria-label="Where would this be pulled from" className="mt-5 border border-rule-2 bg-leaf px-3.5 py-2.5">
      <form
        className="flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          ask.mutate();
        }}
      >
        <b>Where would</b>
        <select
          aria-label="cluster"
          value={name}
          onChange={(e) => {
            setCharter(e.target.value);
            setTyped(undefined);
            ask.reset();
          }}
          className="set bg-leaf"
        >
          {charters.map((x) => (
            <option key={x.name}>{x.name}</option>
          ))}
        </select>
        <b>pull</b>
        <input
          aria-label="image"
          list="images"
          value={image}
          onChange={(e) => {
            setTyped(e.target.value);
            ask.reset();
          }}
          className="mono set min-w-0 flex-1 bg-leaf"
        />
        <datalist id="images">
          {images.map((i) => (
            <option key={i} value={i} />
          ))}
        </datalist>
        <b>from?</b>
        <Button type="submit" disabled={ask.isPending}>
          Measure
        </Button>
      </form>
      <Refused error={ask.error} />
      {ask.data && (
        <ol className="list-decimal pt-1.5 pl-5">
          {ask.data.steps.map((s) => (
            <li key={s.text} className={s.ok ? 'follows' : 'text-brick'}>
              {s.text}
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}
