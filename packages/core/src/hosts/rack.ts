import { counted } from '../words/amounts.ts';
import type { Host, Hypervisor, Site } from '../model/documents.ts';

export type Racked = Pick<Host | Hypervisor, 'name' | 'rack' | 'unit' | 'height' | 'side' | 'depth' | 'zone'> & {
  /** What it draws, in watts, where that is known. */
  drawsW?: number | undefined;
  state?: string | undefined;
};
/** What stands in the racks of a site: hosts of metal that are not retired, and hypervisors. */
export const thingsOf = <H extends Host>(hosts: readonly H[], hypervisors: readonly Hypervisor[]) => [
  ...hosts.filter((h) => !h.guest && h.state !== 'retired').map((h) => ({ ...h, drawsW: h.facts?.drawsW })),
  ...hypervisors.map((h) => ({ ...h, state: 'hypervisor' })),
];
export interface Slot {
  name: string;
  /** Lowest unit, and how many it takes. */
  unit: number;
  height: number;
  /** Seen from this side: its face, or its back. */
  face: boolean;
  state: string;
  /** Something else claims one of its units on this side too. */
  claimed: boolean;
}
export interface RackView {
  rack: string;
  units: number;
  slots: Slot[];
  /** Things of which no unit is known, or that stand higher than the rack. */
  outside: string[];
  drawsW: number;
  /** How many of the things here have no reading of what they draw. */
  withoutReading: number;
  limitW: number | undefined;
}

const top = (r: Racked) => (r.unit ?? 0) + (r.height ?? 1) - 1;
/** Which sides of a rack something takes up: half-deep things only their own. */
const takes = (r: Racked, side: 'front' | 'rear') => (r.depth ?? 'full') === 'full' || (r.side ?? 'front') === side;

/** A rack as it looks from one side: what stands where, what is claimed twice, and what it all draws. */
export function rackView(site: Site, rack: string, all: readonly Racked[], side: 'front' | 'rear'): RackView {
  const declared = site.racks.find((r) => r.name === rack);
  const units = declared?.units ?? 42;
  const here = all.filter((r) => r.rack === rack && r.state !== 'retired');
  const standing = here.filter((r) => r.unit !== undefined && top(r) <= units);
  const seen = standing.filter((r) => takes(r, side)).sort((a, b) => (a.unit ?? 0) - (b.unit ?? 0) || (a.name < b.name ? -1 : 1));
  return {
    rack,
    units,
    slots: seen.map((r) => ({
      name: r.name,
      unit: r.unit as number,
      height: r.height ?? 1,
      face: (r.side ?? 'front') === side,
      state: r.state ?? '',
      claimed: seen.some((o) => o !== r && (o.unit as number) <= top(r) && (r.unit as number) <= top(o)),
    })),
    outside: here.filter((r) => !standing.includes(r)).map((r) => r.name),
    drawsW: Math.round(here.reduce((s, r) => s + (r.drawsW ?? 0), 0)),
    withoutReading: here.filter((r) => r.drawsW === undefined).length,
    limitW: declared?.limitW,
  };
}

/** Why something cannot stand at a unit of a rack, or undefined when it can. */
export function hindered(site: Site, all: readonly Racked[], thing: Racked, rack: string, unit: number): string | undefined {
  const declared = site.racks.find((r) => r.name === rack);
  if (!declared) return `${site.title} has no rack ${rack}`;
  const height = thing.height ?? 1;
  if (unit < 1 || unit + height - 1 > declared.units)
    return `${thing.name} takes ${counted(height, 'unit')}; ${rack} ends at ${declared.units}`;
  const moved = { ...thing, rack, unit };
  const sides = (['front', 'rear'] as const).filter((s) => takes(moved, s));
  const other = all.find(
    (o) =>
      o.name !== thing.name &&
      o.rack === rack &&
      o.unit !== undefined &&
      o.state !== 'retired' &&
      o.unit <= top(moved) &&
      unit <= top(o) &&
      sides.some((s) => takes(o, s)),
  );
  return other ? `${other.name} stands there` : undefined;
}

const xmlText = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

/** Elevations of racks side by side as an SVG of its own, in ink on white: for the door of the rack, and for a plan. */
export function rackSvg(title: string, views: readonly { side: 'front' | 'rear'; view: RackView }[]): string {
  const unit = 18;
  const width = 230;
  const gap = 46;
  const most = Math.max(1, ...views.map((v) => v.view.units));
  const height = 74 + most * unit + 20;
  const total = views.length * (width + gap) + gap;
  const text = (x: number, y: number, s: string, more = '') => `<text x="${x}" y="${y}"${more}>${xmlText(s)}</text>`;
  const out = [
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${total} ${height}" width="${total}" height="${height}" font-family="sans-serif" font-size="11">`,
    `<rect width="${total}" height="${height}" fill="#fff"/>`,
    text(gap, 26, title, ' font-size="16" font-weight="bold"'),
  ];
  views.forEach(({ side, view }, i) => {
    const x = gap + i * (width + gap);
    const base = 64 + most * unit;
    const power = `${view.drawsW} W${view.limitW ? ` of ${view.limitW} W` : ''}${view.withoutReading ? `, ${view.withoutReading} without reading` : ''}`;
    out.push(text(x, 48, `rack ${view.rack}, ${side} · ${power}`));
    for (let u = 1; u <= view.units; u++) {
      const y = base - u * unit;
      out.push(
        `<rect x="${x}" y="${y}" width="${width}" height="${unit}" fill="none" stroke="#b7af9d" stroke-width="0.5" stroke-dasharray="1 2"/>`,
      );
      out.push(text(x - 6, y + 13, String(u), ' text-anchor="end" fill="#5f6871"'));
    }
    for (const s of view.slots) {
      const h = s.height * unit;
      const y = base - (s.unit - 1) * unit - h;
      out.push(
        `<rect x="${x + 1}" y="${y + 1}" width="${width - 2}" height="${h - 2}" fill="#fff" stroke="${s.claimed ? '#a23a28' : '#17212b'}"${s.face ? '' : ' stroke-dasharray="4 2"'}/>`,
        text(x + 8, y + h / 2 + 4, s.face ? s.name : `${s.name} (back)`),
        text(x + width - 8, y + h / 2 + 4, s.state, ' text-anchor="end" fill="#48535e"'),
      );
    }
  });
  out.push('</svg>');
  return `${out.join('\n')}\n`;
}
