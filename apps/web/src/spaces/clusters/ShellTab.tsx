import '@xterm/xterm/css/xterm.css';
import { type ClusterRole, clusterRoleNames, clusterRoles } from '@praesidor/core/access';
import { FitAddon } from '@xterm/addon-fit';
import { Terminal } from '@xterm/xterm';
import { useEffect, useRef, useState } from 'react';
import { type Said, say } from '../../api/shell.ts';
import { useMe } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { useMay } from '../../state/may.ts';
import { useView } from '../../state/view.ts';
import { afterRun, emptyLine, harmless, type Line, redraw, typed } from './shell-line.ts';

const cuts = {
  time: 'ended: it ran for longer than five minutes',
  output: 'ended: it said more than a megabyte',
  left: 'stopped',
} as const;
const dim = (text: string) => `\x1b[90m${text}\x1b[0m`;
const red = (text: string) => `\x1b[31m${text}\x1b[0m`;

/** kubectl for one cluster, typed here and run on the server: with a certificate of whoever types, in a room of its own, on record. */
export default function ShellTab({ name, stands }: { name: string; stands: boolean }) {
  const leave = useMay();
  const login = useMe().data?.login ?? '';
  const theme = useView((s) => s.theme);
  const [role, setRole] = useState<ClusterRole>('view');
  const [running, setRunning] = useState(false);
  const place = useRef<HTMLDivElement>(null);
  const asked = useRef<{ role: ClusterRole; stop?: AbortController; draw?: () => void }>({ role });
  useEffect(() => {
    asked.current.role = role;
    asked.current.draw?.();
  }, [role]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: with another theme the page has other colours, which are read here
  useEffect(() => {
    const at = place.current;
    if (!at || !stands) return undefined;
    const css = getComputedStyle(document.documentElement);
    const colour = (v: string) => css.getPropertyValue(v).trim();
    const t = new Terminal({
      convertEol: true,
      scrollback: 5000,
      screenReaderMode: true,
      fontFamily: '"Atkinson Hyperlegible Mono Variable", monospace',
      fontSize: 13,
      theme: {
        background: colour('--leaf'),
        foreground: colour('--ink'),
        cursor: colour('--verdigris'),
        selectionBackground: colour('--verdigris-tint'),
        red: colour('--brick'),
        green: colour('--verdigris'),
        yellow: colour('--ochre'),
        brightBlack: colour('--ink-3'),
      },
      linkHandler: null,
    });
    const fit = new FitAddon();
    t.loadAddon(fit);
    t.open(at);
    t.textarea?.setAttribute('aria-label', `Command for ${name}`);
    fit.fit();
    // With Tab one leaves it, as one leaves a field.
    t.attachCustomKeyEventHandler((e) => e.key !== 'Tab');
    const resized = new ResizeObserver(() => fit.fit());
    resized.observe(at);
    let line: Line = emptyLine();
    let drawn: Line | undefined;
    let busy = false;
    /** Typed while a command ran. */
    let ahead: string[] = [];
    const prompt = () => `${name} ${clusterRoles[asked.current.role].label}> `;
    const draw = () => {
      t.write(redraw(prompt(), line, t.cols, drawn));
      drawn = line;
    };
    const run = async (text: string) => {
      busy = true;
      setRunning(true);
      const stop = new AbortController();
      asked.current.stop = stop;
      const tell = (s: Said) => {
        if ('out' in s) t.write(harmless(s.out));
        else if ('err' in s) t.write(harmless(s.err));
        else if ('failed' in s) t.write(`${red(harmless(s.failed))}\n${s.remedy ? `${dim(harmless(s.remedy))}\n` : ''}`);
        else if (s.cut) t.write(`\n${red(cuts[s.cut])}\n`);
        else if (s.code) t.write(`${dim(`exit code ${s.code}`)}\n`);
      };
      await say(name, text, asked.current.role, stop.signal, tell);
      busy = false;
      setRunning(false);
      drawn = undefined;
      draw();
      // What was typed meanwhile comes now.
      const later = ahead;
      ahead = [];
      for (const data of later) take(data);
    };
    t.write(
      `${dim(`kubectl for ${name}, as ${login}. Type get nodes, for example; the word kubectl may be left out. Each line is put on record.`)}\n`,
    );
    draw();
    asked.current.draw = () => {
      if (!busy) draw();
    };
    const take = (data: string) => {
      const { line: next, does } = typed(line, data);
      if (busy) {
        if (does === 'stop') {
          ahead = [];
          asked.current.stop?.abort();
        } else ahead.push(data);
        return;
      }
      if (does === 'clear') t.clear();
      if (does === 'stop') {
        t.write('\n');
        line = emptyLine(line.history);
        drawn = undefined;
      } else if (does === 'run') {
        const { text } = line;
        t.write('\r\n');
        line = afterRun(line);
        drawn = undefined;
        if (text.trim()) {
          void run(text);
          return;
        }
      } else line = next;
      draw();
    };
    const typing = t.onData(take);
    t.focus();
    return () => {
      asked.current.stop?.abort();
      delete asked.current.draw;
      typing.dispose();
      resized.disconnect();
      t.dispose();
    };
  }, [name, login, stands, theme]);
  if (!stands) return <p className="pt-3 text-ink-2">No host of {name} serves yet: there is no API that could be asked.</p>;
  return (
    <section aria-label={`Shell for ${name}`} className="flex min-h-0 flex-1 flex-col pt-2">
      <div className="flex items-center gap-3 pb-2">
        <label htmlFor="shell-role" className="text-ink-2">
          Role
        </label>
        <select
          id="shell-role"
          className="border border-rule-2 bg-leaf px-2 py-1"
          value={role}
          disabled={running}
          onChange={(e) => setRole(e.target.value as ClusterRole)}
        >
          {clusterRoleNames.map((r) => (
            <option key={r} value={r} disabled={!leave.may(clusterRoles[r].act)}>
              {clusterRoles[r].label}
            </option>
          ))}
        </select>
        <span className="min-w-0 truncate text-ink-2">{clusterRoles[role].help}</span>
        <span className="ml-auto">
          <Button disabled={!running} onClick={() => asked.current.stop?.abort()}>
            Stop
          </Button>
        </span>
      </div>
      <div className="flex min-h-[320px] flex-1 overflow-hidden border border-rule-2 bg-leaf p-2">
        <div ref={place} className="min-h-0 min-w-0 flex-1" />
      </div>
    </section>
  );
}
