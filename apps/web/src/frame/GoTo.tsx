import { Command } from 'cmdk';
import { Dialog as R } from 'radix-ui';
import { begun } from '@praesidor/core/model';
import { useNavigate } from 'react-router';
import { useSnapshot } from '../api/queries.ts';
import { useReport } from '../state/computed.ts';
import { scoped, useScope } from '../state/scope.ts';
import { useView } from '../state/view.ts';
import { besides, tabs } from './tabs.ts';

/** Finds anything by name, address, MAC, serial or code, and runs acts. */
export default function GoTo() {
  const openGoTo = useView((s) => s.openGoTo);
  const setTheme = useView((s) => s.setTheme);
  const theme = useView((s) => s.theme);
  const navigate = useNavigate();
  const { site } = useScope();
  const e = useSnapshot().data?.estate;
  const report = useReport().data;
  const go = (to: string) => {
    openGoTo(false);
    void navigate(scoped(to, site));
  };
  const item =
    'flex cursor-pointer items-baseline justify-between gap-4 px-4 py-1.5 data-[selected=true]:bg-leaf data-[selected=true]:shadow-[inset_3px_0_0_var(--ink)]';
  const row = (value: string, text: string, hint: string, act: () => void) => (
    <Command.Item key={value} value={value} className={item} onSelect={act}>
      <span className="truncate">{text}</span>
      <span className="shrink-0 text-ink-3">{hint}</span>
    </Command.Item>
  );
  return (
    <R.Root open onOpenChange={(o) => openGoTo(o)}>
      <R.Portal>
        <R.Overlay className="fixed inset-0 z-40 bg-ink/30" />
        <R.Content
          className="fixed top-[10vh] left-1/2 z-50 w-[620px] max-w-[94vw] -translate-x-1/2 border border-rule-2 bg-paper"
          aria-describedby={undefined}
        >
          <R.Title className="sr-only">Go to, or do</R.Title>
          <Command label="Go to, or do" loop>
            <Command.Input
              autoFocus
              placeholder="A name, an address, a MAC, a serial, a code, or what to do"
              className="w-full border-rule-2 border-b bg-leaf px-4 py-3 outline-none"
            />
            <Command.List className="max-h-[52vh] overflow-auto py-1">
              <Command.Empty className="px-4 py-3 text-ink-2">Nothing has that name or address.</Command.Empty>
              {report?.moves.slice(0, 6).map((m, i) => row(`do ${i} ${m.text} ${m.label}`, m.text, m.label, () => go(m.go)))}
              {[...tabs, ...besides].map((t) => row(`space ${t.label}`, t.label, `G ${t.key.toUpperCase()}`, () => go(t.path)))}
              {begun.map((k) =>
                row(`do declare a new ${k}`, `Declare a ${k.toLowerCase()}`, 'by hand', () => go(`/declare?kind=${k}`)),
              )}
              {row(
                'do switch theme night paper light',
                theme === 'night' ? 'Switch to paper' : 'Switch to night',
                'theme',
                () => {
                  setTheme(theme === 'night' ? 'light' : 'night');
                  openGoTo(false);
                },
              )}
              {e?.sites.map((s) =>
                row(`site ${s.name} ${s.title}`, s.title, 'site', () => {
                  openGoTo(false);
                  void navigate(`/estate?site=${s.name}`);
                }),
              )}
              {e?.charters.map((c) => row(`cluster ${c.name}`, c.name, 'cluster', () => go(`/clusters/${c.name}`)))}
              {e?.hosts.map((h) =>
                row(
                  `host ${h.name} ${h.facts?.serial ?? ''} ${h.bmc?.address ?? ''} ${h.facts?.nics.map((n) => n.mac).join(' ') ?? ''}`,
                  h.name,
                  `${h.state}${h.facts ? `, ${h.facts.serial}` : ''}`,
                  () => go(`/hosts?site=${h.site}&host=${h.name}`),
                ),
              )}
              {e?.networks.map((n) =>
                row(`network ${n.name} ${n.prefix} vlan ${n.vlan ?? ''}`, n.name, n.prefix, () =>
                  go(`/addresses?site=${n.site}&net=${n.name}`),
                ),
              )}
              {e?.reservations.map((r) =>
                row(`address ${r.address} ${r.name ?? ''} ${r.mac ?? ''}`, r.name ?? r.address, r.address, () =>
                  go(`/addresses?net=${r.network}&at=${r.address}`),
                ),
              )}
              {report?.findings.map((f) =>
                row(`finding ${f.id} ${f.title}`, f.title, f.code, () =>
                  go(
                    f.subject.kind === 'Charter'
                      ? `/clusters/${f.subject.name}`
                      : f.subject.kind === 'Host'
                        ? `/hosts?site=${f.site}&host=${f.subject.name}`
                        : `/estate?site=${f.site}`,
                  ),
                ),
              )}
            </Command.List>
          </Command>
        </R.Content>
      </R.Portal>
    </R.Root>
  );
}
