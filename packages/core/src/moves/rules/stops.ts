import type { Finding } from '../../checks/check.ts';
import { actPlace } from '../place.ts';
import type { MoveRule, Said } from '../move.ts';

const stageOf = (f: Finding): Said['stage'] =>
  f.area === 'KEY' ? 'keyring' : f.area === 'IMG' ? 'images' : f.area === 'HST' ? 'hosts' : 'charter';

/** Every stop, each once: first those that keep a cluster from being built, with its name. Too few hosts have a rule of their own. */
export const stops: MoveRule = ({ site, findings, unbuilt }) => {
  const waiting = new Set(unbuilt.map((c) => c.name));
  const said = new Map<string, { move: Said; more: number }>();
  for (const f of findings) {
    if (f.severity !== 'stop' || (f.code === 'CHT-005' && waiting.has(f.subject.name))) continue;
    const move = moveFor(
      f,
      f.charters.find((c) => waiting.has(c)),
      findings,
      site.name,
    );
    // Six hosts that name one credential lack one entry.
    const key = move.remedy?.edits ? f.id : `${f.code} ${move.go}`;
    const there = said.get(key);
    if (there) there.more++;
    else said.set(key, { move, more: 0 });
  }
  return [...said.values()].map(({ move, more }) => (more ? { ...move, text: `${move.text}, and ${more} more` } : move));
};

function moveFor(f: Finding, charter: string | undefined, findings: readonly Finding[], site: string): Said {
  const act = f.remedy?.act;
  if (act?.kind === 'plan-shipment') {
    // A shipment that its disk cannot take is not offered: room comes first.
    const full = findings.find((x) => x.code === 'IMG-012' && x.subject.name === act.target);
    if (full)
      return {
        stage: 'images',
        text: full.title,
        label: full.remedy?.label ?? 'Open it',
        go: full.remedy ? actPlace(full) : `/images?site=${site}`,
      };
    return {
      stage: 'images',
      text: `${f.title}; ship them to ${act.target}`,
      label: 'Plan the shipment',
      go: `/images?site=${site}&plan=${act.target}&bills=${act.bills.join(',')}`,
      ...(f.remedy ? { remedy: f.remedy } : {}),
    };
  }
  return {
    stage: stageOf(f),
    text: charter ? `${charter}: ${f.title}` : f.title,
    label: f.remedy?.label ?? 'Open it',
    go:
      f.remedy && !f.remedy.edits
        ? actPlace(f)
        : charter
          ? `/clusters/${charter}?site=${site}`
          : actPlace({ ...f, remedy: undefined } as never),
    ...(f.remedy?.edits ? { remedy: f.remedy } : {}),
  };
}
