import type { Socket } from 'node:net';
import { isIp } from '@praesidor/core/address';
import { type LoginAccount, maySudo, type Ran, sshd } from './login.ts';
import { filesIn, isWhole } from './sent.ts';

/** A machine that routes: its interfaces, each with an address and its length. */
export interface RouterSpec {
  name: string;
  interfaces: Record<string, string>;
}
/** What it keeps over a power cut. */
export interface SavedRouter {
  files: Record<string, string>;
  account?: LoginAccount;
}
/** What its programs have read and go by. */
type Running = Record<string, string>;

const bird = '/etc/bird/bird.conf';
const keepalived = '/etc/keepalived/keepalived.conf';
const filter = '/etc/nftables.conf';

/** What a program says of a file in which a brace is lacking, or one is too much. */
const unbalanced = (text: string): string | undefined => {
  let deep = 0;
  for (const [n, line] of text.split('\n').entries())
    for (const c of line.replace(/#.*$/, '')) {
      if (c === '{') deep++;
      if (c === '}' && --deep < 0) return `line ${n + 1}: unexpected }`;
    }
  return deep ? 'unexpected end of file' : undefined;
};
/** BIRD (bird -p): besides, next hops are addresses. */
function birdSays(text: string): string | undefined {
  const fault = unbalanced(text);
  if (fault) return `bird: ${bird}: syntax error, ${fault}`;
  for (const [n, line] of text.split('\n').entries()) {
    const via = /^\s*route \S+ via ([^\s;]+)/.exec(line)?.[1];
    if (via && !isIp(via)) return `bird: ${bird}:${n + 1}:1 syntax error, unexpected CF_SYM_UNDEFINED`;
  }
  return undefined;
}
interface Instance {
  id: string;
  interface: string;
  priority: number;
  addresses: string[];
}
/** Virtual routers of a file of keepalived (keepalived.conf(5)). */
const instances = (text = ''): Instance[] =>
  [...text.matchAll(/^vrrp_instance \S+ \{\n([\s\S]*?)\n\}/gm)].map(([, body = '']) => ({
    id: /virtual_router_id (\d+)/.exec(body)?.[1] ?? '',
    interface: /^ *interface (\S+)/m.exec(body)?.[1] ?? '',
    priority: Number(/priority (\d+)/.exec(body)?.[1] ?? 100),
    addresses: (/virtual_ipaddress \{\n([\s\S]*?)\n *\}/.exec(body)?.[1] ?? '')
      .split('\n')
      .map((l) => l.trim().split(' ')[0] ?? ''),
  }));

/** Machines of gateways: each with sshd, BIRD, keepalived and nft, that do what lies in their files. */
export class Routers {
  private readonly all = new Map<string, Router>();
  constructor(private readonly changed: () => void) {}

  add(spec: RouterSpec, hostKey: string, saved: SavedRouter | undefined): Router {
    const r = new Router(spec, hostKey, saved, (of) => this.held(of), this.changed);
    this.all.set(spec.name, r);
    return r;
  }
  get = (name: string): Router | undefined => this.all.get(name);
  close = (): void => {
    for (const r of this.all.values()) r.close();
  };
  save = (): Record<string, SavedRouter> => Object.fromEntries([...this.all].map(([n, r]) => [n, r.save()]));

  /** Addresses that a machine has because it leads: of those with one number and one address, the highest priority (RFC 5798 §6.4). */
  private held(of: Router): [at: string, address: string][] {
    return of.virtual().flatMap((mine) =>
      mine.addresses.flatMap((address): [string, string][] => {
        const others = [...this.all.values()].filter((r) => r !== of).flatMap((r) => r.virtual());
        const higher = others.some((o) => o.id === mine.id && o.addresses.includes(address) && o.priority > mine.priority);
        return higher ? [] : [[mine.interface, address]];
      }),
    );
  }
}

export class Router {
  private readonly files: Map<string, string>;
  private running: Running;
  private account: LoginAccount | undefined;
  readonly door;

  constructor(
    readonly spec: RouterSpec,
    hostKey: string,
    saved: SavedRouter | undefined,
    private readonly held: (of: Router) => [string, string][],
    private readonly changed: () => void,
  ) {
    this.files = new Map(Object.entries(saved?.files ?? {}));
    this.account = saved?.account;
    // Started with what lies there.
    this.running = Object.fromEntries(this.files);
    const accounts: LoginAccount[] = [];
    this.door = sshd(
      { hostKey, accounts },
      (command, account, input) => this.run(command, account, input),
      () => false,
    );
    this.enter = () => accounts.splice(0, accounts.length, ...(this.account ? [this.account] : []));
    this.enter();
    const open = new Set<Socket>();
    this.door.on('connection', (s) => open.add(s.once('close', () => open.delete(s))));
    this.close = () => {
      for (const s of open) s.destroy();
      this.door.close();
    };
  }
  private readonly enter: () => void;
  readonly close: () => void;

  /** Somebody makes the account there, and puts its program in its place. */
  give(account: LoginAccount, program: { path: string; text: string }): void {
    this.account = account;
    this.files.set(program.path, program.text);
    this.enter();
    this.changed();
  }
  save = (): SavedRouter => ({ files: Object.fromEntries(this.files), ...(this.account ? { account: this.account } : {}) });
  virtual = (): Instance[] => instances(this.running[keepalived]);

  private async run(command: string, account: LoginAccount, input: Buffer): Promise<Ran> {
    const program = /^sudo -n (\S+)$/.exec(command)?.[1];
    if (!program) return { code: 127, lines: [], errors: `sh: 1: ${command.split(' ')[0]}: not found` };
    if (!maySudo(account.sudo, program)) return { code: 1, lines: [], errors: 'sudo: a password is required' };
    if (!this.files.has(program)) return { code: 1, lines: [], errors: `sudo: ${program}: command not found` };
    const came = await filesIn(input).catch(() => new Map<string, string>());
    if (!isWhole(came)) return { code: 65, lines: [], errors: 'what came is not whole: nothing was changed' };
    const asked = came.get('do')?.trim();
    const fresh = new Map([...came].flatMap(([n, text]) => (n.startsWith('root/') ? [[n.slice(4), text] as const] : [])));
    if (asked === 'state') return { code: 0, lines: this.state() };
    if (asked !== 'judge' && asked !== 'apply') return { code: 64, lines: [], errors: 'that is not something this program does' };
    const wrong = this.judge((came.get('interfaces') ?? '').split('\n').filter(Boolean), fresh);
    if (wrong) return wrong;
    return { code: 0, lines: asked === 'judge' ? this.differences(fresh) : this.apply(fresh) };
  }

  private judge(interfaces: string[], fresh: ReadonlyMap<string, string>): Ran | undefined {
    const lacks = interfaces.filter((n) => !Object.hasOwn(this.spec.interfaces, n));
    if (lacks.length) return { code: 66, lines: [], errors: `it has no interface ${lacks.join(' ')}` };
    const says = birdSays(fresh.get(bird) ?? '');
    if (says) return { code: 67, lines: [], errors: says };
    for (const [file, code] of [
      [keepalived, 68],
      [filter, 69],
    ] as const) {
      const fault = unbalanced(fresh.get(file) ?? '');
      if (fault) return { code, lines: [], errors: `${file}: ${fault}` };
    }
    return undefined;
  }

  private readonly ours = (file: string) => this.files.get(file)?.includes('Written by Praesidor');
  private readonly known = [bird, keepalived, filter, '/etc/sysctl.d/90-forward.conf'];
  private differences = (fresh: ReadonlyMap<string, string>): string[] =>
    this.known.flatMap((file) =>
      fresh.has(file)
        ? [`${fresh.get(file) === this.files.get(file) ? 'same' : 'differs'} ${file}`]
        : this.ours(file)
          ? [`goes ${file}`]
          : [],
    );

  private apply(fresh: ReadonlyMap<string, string>): string[] {
    const lines: string[] = [];
    for (const file of this.known) {
      const text = fresh.get(file);
      if (text !== undefined && text !== this.files.get(file)) {
        this.files.set(file, text);
        lines.push(`put ${file}`);
      }
      if (text === undefined && this.ours(file)) {
        this.files.delete(file);
        lines.push(`removed ${file}`);
      }
    }
    this.running = Object.fromEntries(this.files);
    this.changed();
    return [...lines, 'in force'];
  }

  /** As birdc(8) and ip(8) tell it. */
  private state(): string[] {
    const text = this.running[bird] ?? '';
    const own = Object.entries(this.spec.interfaces);
    const sessions = [...text.matchAll(/^protocol bgp (\S+)/gm)].map(([, name]) => `bgp ${name} Active`);
    const routes = [...text.matchAll(/^ *route (\S+) via ([^\s;]+);/gm)].map(
      ([, to, via]) => `route ${to} via ${via} dev ${own[0]?.[0]} proto bird metric 32`,
    );
    return [...sessions, ...[...own, ...this.held(this)].map(([at, address]) => `address ${at} ${address}`), ...routes];
  }
}
