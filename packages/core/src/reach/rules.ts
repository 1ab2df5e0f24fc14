import { covers, type TrafficRule } from '../model/gateway.ts';

/** A packet on its way: addresses change where they are translated. */
export interface Packet {
  source: string;
  destination: string;
  protocol?: 'tcp' | 'udp' | 'icmp' | undefined;
  port?: number | undefined;
}

const matches = (r: TrafficRule, p: Packet): boolean =>
  (!r.from || covers(r.from, p.source)) &&
  (!r.to || covers(r.to, p.destination)) &&
  (!r.protocol || r.protocol === p.protocol) &&
  (r.port === undefined || (p.port !== undefined && p.port >= r.port && p.port <= (r.lastPort ?? r.port)));

/** The rule that says what becomes of a packet: the first that it matches. Undefined: none does, and it passes. */
export function ruleFor(rules: readonly TrafficRule[], p: Packet): { rule: TrafficRule; at: number } | undefined {
  const at = rules.findIndex((r) => matches(r, p));
  return at < 0 ? undefined : { rule: rules[at] as TrafficRule, at };
}

/** A rule as people say it: `deny TCP 443 from 10.62.40.0/24 to any`. */
export function ruleText(r: TrafficRule): string {
  const ports = r.port === undefined ? '' : ` ${r.port}${r.lastPort && r.lastPort !== r.port ? `-${r.lastPort}` : ''}`;
  return `${r.do}${r.protocol ? ` ${r.protocol.toUpperCase()}${ports}` : ''} from ${r.from ?? 'any'} to ${r.to ?? 'any'}`;
}
