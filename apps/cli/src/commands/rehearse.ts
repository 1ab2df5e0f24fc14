import {
  afterText,
  circleMeans,
  circleText,
  coldStartOf,
  inStopOrder,
  needsText,
  says,
  waitsText,
} from '@praesidor/core/cold-start';
import { nearest } from '@praesidor/core/model';
import {
  awayText,
  caseTitle,
  inCommon,
  rehearseAll,
  type Room,
  rowsOf,
  type Loss,
  serviceRows,
  simulate,
  type Verdict,
  whatMatters,
} from '@praesidor/core/rehearse';
import { counted } from '@praesidor/core/words';
import { estateOf, estateOption, nowOption, plannedCluster, Unusable } from '../estate.ts';
import { type Asked, type CommandGroup, tell } from '../options.ts';

const common = [estateOption, nowOption];

function planned(asked: Asked) {
  const found = plannedCluster(asked);
  if (!found.room.hosts.length) throw new Unusable(`${found.plan.charter.name} has no host yet: nothing can be lost`);
  return found;
}
/** Hosts by their names, or all of a rack, a zone or a feed. @throws Unusable with what there is */
function hostsOf(room: Room, words: readonly string[]): number[] {
  return words.flatMap((word) => {
    const [by = '', of = ''] = word.split('=');
    const found = room.hosts.flatMap((h, i) =>
      (of === '' && h.name === word) ||
      (of && (by === 'rack' || by === 'zone' || by === 'feed') && h[by] === of) ||
      (by === 'switch' && h.switches?.length === 1 && h.switches[0] === of)
        ? [i]
        : [],
    );
    if (!found.length) {
      const near = nearest(
        word,
        room.hosts.map((h) => h.name),
      );
      throw new Unusable(`${room.charter} has no ${word}${near ? `; did you mean ${near}?` : ''}`);
    }
    return found;
  });
}
/** A service by the first word of its name. */
const serviceOf = (room: Room, word: string) =>
  room.services?.find((s) => s.name.split(' ')[0]?.toLowerCase() === word.toLowerCase());
/** @throws Unusable */
function minutesOf(asked: Asked, option: string): number | undefined {
  const text = asked.options[option];
  if (text === undefined) return undefined;
  const n = Number(text);
  if (!Number.isInteger(n) || n < 0) throw new Unusable(`--${option}: ${String(text)} is not a whole number of minutes`);
  return n * 60_000;
}
const line = (v: Verdict) =>
  `${caseTitle(v.case).padEnd(20)} ${(v.longest ? `${v.longest.what} ${awayText(v.longest.ms)}` : 'nothing away').padEnd(34)} quorum ${v.quorum.left} of ${v.quorum.of}  ${v.lost.length ? `no copy of ${v.lost.length}` : 'no data lost'}  ${v.coresLeft} cores left  ${v.text}`;

/** What a loss would do to a cluster. */
export const rehearse: CommandGroup = {
  name: 'rehearse',
  about: 'what a loss would do to a cluster, computed from its charter',
  commands: [
    {
      name: 'loss',
      about:
        'what happens over time when hosts lose power: hosts by name, or rack=NAME, zone=NAME, feed=NAME, switch=NAME, or a service: registry, DNS, time, link; exit code 1: something does not come back by itself',
      words: '<cluster> <lost...>',
      options: [
        ['--drained', 'they are taken out of use: their pods are evicted first'],
        ['--back <minutes>', 'when they are back; without it they are not'],
        ['--then <lost>', 'what is lost after that, written in the same way; registry: where images come from'],
        ['--after <minutes>', 'how long after the first; 10 otherwise'],
        ...common,
      ],
      run: (asked, write) => {
        const { room } = planned(asked);
        const lossOf = (words: readonly string[]) => ({
          hosts: [
            ...new Set(
              hostsOf(
                room,
                words.filter((w) => !serviceOf(room, w)),
              ),
            ),
          ],
          ...(words.some((w) => serviceOf(room, w)?.pulls) ? { registry: true } : {}),
          services: words.flatMap((w) => serviceOf(room, w)?.name ?? []),
        });
        const back = minutesOf(asked, 'back');
        const then = asked.options.then;
        const losses: Loss[] = [
          { at: 0, ...lossOf(asked.words.slice(1)), drained: asked.options.drained === true, back },
          ...(typeof then === 'string' ? [{ at: minutesOf(asked, 'after') ?? 600_000, ...lossOf([then]) }] : []),
        ];
        const rows = [...rowsOf(room, simulate(room, losses)), ...serviceRows(room, losses)];
        tell(
          asked,
          write,
          rows,
          rows.flatMap((r) => [
            `${r.title} (${r.about}): ${r.sum}`,
            ...r.parts.map((p) => `  ${awayText(p.from)} to ${p.to === undefined ? 'the end' : awayText(p.to)}: ${p.text}`),
          ]),
        );
        return rows.some((r) => r.parts.at(-1)?.is === 'away') ? 1 : 0;
      },
    },
    {
      name: 'all',
      about:
        'every loss of one host, of two, of a rack, a zone, a feed and of everything, worst first; and what they have in common',
      words: '<cluster>',
      options: [['--most <n>', 'how many are shown; 20 otherwise'], ...common],
      run: (asked, write) => {
        const { room } = planned(asked);
        const most = asked.options.most === undefined ? 20 : Number(asked.options.most);
        if (!Number.isInteger(most) || most < 1)
          throw new Unusable(`--most: ${String(asked.options.most)} is not a whole number from 1 on`);
        const all = rehearseAll(room);
        const shared = inCommon(room, all);
        tell(asked, write, { cases: all, common: shared }, [
          ...all.slice(0, most).map(line),
          ...(all.length > most ? [`and ${counted(all.length - most, 'case')} more`] : []),
          ...(shared.length
            ? [`in common to the worst: ${shared.map((c) => `${c.what} ${Math.round(c.share * 100)} %`).join(', ')}`]
            : []),
        ]);
        return 0;
      },
    },
    {
      name: 'start',
      about:
        'what starts when at a site that lost all power, in order, and who waits for whom; exit code 1: parts wait for each other',
      words: '<site>',
      options: [['--stop', 'a planned stop instead, in its order'], ...common],
      run: (asked, write) => {
        const estate = estateOf(asked);
        const name = asked.words[0] as string;
        const all = coldStartOf(estate, name);
        if (!all) {
          const near = nearest(
            name,
            estate.sites.map((s) => s.name),
          );
          throw new Unusable(`there is no site ${name}${near ? `; did you mean ${near}?` : ''}`);
        }
        const stop = asked.options.stop === true;
        tell(
          asked,
          write,
          all,
          stop
            ? inStopOrder(all).map((p) => `${afterText(p.stopBegins).padEnd(14)} stop ${p.title}`)
            : [
                ...all.parts.flatMap((p) => [
                  `${afterText(p.begins).padEnd(14)} ${p.title}${p.takes ? `, takes ${afterText(p.takes)}${p.declared ? '' : ' (assumed)'}` : ''}${p.waits.length ? `, waits for ${waitsText(all, p)}` : ''}`,
                  // What one part alone is needed for is said by whom it waits for.
                  ...needsText(all, p)
                    .filter(says)
                    .map((t) => `${' '.repeat(17)}${t}`),
                ]),
                ...all.circles.flatMap((c) => [
                  `circle: ${circleText(c)}`,
                  `        ${circleMeans(c)}${c.mend ? ` ${c.mend.label}.` : ''}`,
                ]),
              ],
        );
        return all.circles.length ? 1 : 0;
      },
    },
    {
      name: 'helps',
      about: 'which timer or way of placing matters most: each is tried, and every single host lost once more',
      words: '<cluster>',
      options: common,
      run: (asked, write) => {
        const { plan, estate } = planned(asked);
        const list = whatMatters(plan, estate);
        tell(
          asked,
          write,
          list,
          list.length
            ? list.map(
                (t) =>
                  `${t.label}: longest ${awayText(t.before.longest)} → ${awayText(t.after.longest)}, hosts whose loss does not mend itself ${t.before.stays} → ${t.after.stays}; cost: ${t.cost}`,
              )
            : ['no change that is tried makes an absence shorter'],
        );
        return 0;
      },
    },
  ],
};
