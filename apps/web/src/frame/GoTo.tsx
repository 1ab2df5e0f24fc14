import type { Thing } from '@praesidor/core/find';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { Dialog as R } from 'radix-ui';
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { type Snapshot, useFiles, useSnapshot } from '../api/queries.ts';
import { useReport } from '../state/computed.ts';
import { scoped, useScope } from '../state/scope.ts';
import { useView } from '../state/view.ts';
import { computerWith } from '../workers/compute.ts';
import { secondaryTabs, tabs } from './tabs.ts';

const item =
  'flex cursor-pointer items-baseline justify-between gap-4 px-4 py-1.5 data-[selected=true]:bg-leaf data-[selected=true]:shadow-[inset_3px_0_0_var(--ink)]';

/** Finds anything by name, address, MAC, serial, digest or code, and leads to acts with their subject. */
export default function GoTo() {
  const openGoTo = useView((s) => s.openGoTo);
  const setTheme = useView((s) => s.setTheme);
  const theme = useView((s) => s.theme);
  const navigate = useNavigate();
  const { site } = useScope();
  const snapshot = useSnapshot();
  const report = useReport().data;
  const [typed, setTyped] = useState('');
  const text = typed.trim().toLowerCase();
  const found = useQuery({
    queryKey: ['find', snapshot.data?.revision, site, text],
    enabled: snapshot.data !== undefined && text !== '',
    placeholderData: keepPreviousData,
    gcTime: 1000,
    queryFn: async () => (await computerWith(snapshot.data as Snapshot)).find(text, site),
  });
  const files = useFilesOf(text, snapshot.data?.estate.charters.map((c) => c.name) ?? []);
  const close = (to: string) => {
    openGoTo(false);
    void navigate(to);
  };
  const row = (key: string, name: string, hint: string, act: () => void) => (
    <Command.Item key={key} value={key} className={item} onSelect={act}>
      <span className="min-w-0 truncate">{name}</span>
      <span className="mono shrink-0 text-ink-3">{hint}</span>
    </Command.Item>
  );
  const switchTheme = () =>
    row('theme', theme === 'night' ? 'Switch to the light theme' : 'Switch to the night theme', 'theme', () => {
      setTheme(theme === 'night' ? 'light' : 'night');
      openGoTo(false);
    });
  const spaces = [...tabs, ...secondaryTabs].filter((t) => !text || t.label.toLowerCase().startsWith(text));
  const asksTheme = text !== '' && ['switch', 'theme', 'night', 'light'].some((w) => w.startsWith(text) || text.startsWith(w));
  // Enter before the answer is there waits for it: what was found for an older text is not what is meant.
  const ready = text === '' || (found.data !== undefined && !found.isPlaceholderData);
  const [entered, setEntered] = useState(false);
  const first = spaces[0]?.path ?? found.data?.things[0]?.go;
  useEffect(() => {
    if (!entered || !ready) return;
    setEntered(false);
    if (!first && !asksTheme) return;
    openGoTo(false);
    if (first) void navigate(scoped(first, site));
    else setTheme(theme === 'night' ? 'light' : 'night');
  }, [entered, ready, first, asksTheme, site, theme, setTheme, navigate, openGoTo]);
  return (
    <R.Root open onOpenChange={(o) => openGoTo(o)}>
      <R.Portal>
        <R.Overlay className="fixed inset-0 z-40 bg-veil" />
        <R.Content
          className="fixed top-[10vh] left-1/2 z-50 w-[620px] max-w-[94vw] -translate-x-1/2 border border-rule-2 bg-paper"
          aria-describedby={undefined}
        >
          <R.Title className="sr-only">Go to, or do</R.Title>
          <Command
            label="Go to, or do"
            loop
            shouldFilter={false}
            onKeyDown={(e) => {
              // Nothing is marked yet in the moment in which a list is drawn: then, too, the first is meant.
              const marked = e.currentTarget.querySelector("[cmdk-item][aria-selected='true']");
              if (e.key !== 'Enter' || (ready && marked)) return;
              e.preventDefault();
              setEntered(true);
            }}
          >
            <Command.Input
              autoFocus
              value={typed}
              onValueChange={setTyped}
              placeholder="A name, an address, a MAC, a serial, a digest, a code, or what to do"
              className="w-full border-rule-2 border-b bg-leaf px-4 py-3 outline-none"
            />
            <Command.List className="max-h-[52vh] overflow-auto py-1">
              {text === '' &&
                report?.moves.slice(0, 6).map((m) => row(`move ${m.text}`, m.text, m.label, () => close(scoped(m.go, site))))}
              {spaces.map((t) => row(`space ${t.label}`, t.label, `G ${t.key.toUpperCase()}`, () => close(scoped(t.path, site))))}
              {text !== '' &&
                found.data?.things.map((t: Thing, i) =>
                  row(`${t.sort} ${t.name} ${t.go} ${i}`, t.name, t.hint, () => close(scoped(t.go, site))),
                )}
              {files.map((f) => row(`file ${f.go}`, f.name, 'file', () => close(f.go)))}
              {(text === '' || asksTheme) && switchTheme()}
              {text !== '' && found.data && !found.data.of && !files.length && !spaces.length && !asksTheme && (
                <p className="px-4 py-3 text-ink-2">
                  Nothing is called so, and nothing has it as an address, a serial or a digest.
                </p>
              )}
              {text !== '' && found.data && found.data.of > found.data.things.length && (
                <p className="px-4 py-1.5 text-ink-3">
                  and {(found.data.of - found.data.things.length).toLocaleString('en')} more: type more of it
                </p>
              )}
            </Command.List>
          </Command>
        </R.Content>
      </R.Portal>
    </R.Root>
  );
}

/** Files of the kit of a charter that is named in what was typed: "plover user-data". */
function useFilesOf(text: string, charters: readonly string[]): { name: string; go: string }[] {
  const words = text.split(/\s+/).filter(Boolean);
  const charter = charters.find((c) => words.includes(c));
  const rest = words.filter((w) => w !== charter);
  const files = useFiles(charter ?? '', charter !== undefined && rest.length > 0);
  if (!charter || !rest.length) return [];
  return (files.data ?? [])
    .filter((f) => rest.every((w) => f.path.toLowerCase().includes(w)))
    .slice(0, 12)
    .map((f) => ({ name: `${charter}: ${f.path}`, go: `/clusters/${charter}?tab=files&file=${encodeURIComponent(f.path)}` }));
}
