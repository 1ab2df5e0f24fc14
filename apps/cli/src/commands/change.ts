import { type ChangePlan, changeAsked, changeDue, onItsWay } from '@praesidor/core/changes';
import { resolve } from '@praesidor/core/charter';
import type { Charter, Estate } from '@praesidor/core/model';
import { expectedEnd, fasterText, newRun, timeline, worthSpeedingUp } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import type { Asked, SubCommand } from '../options.ts';

const minutes = (ms: number) => `${Math.round(ms / 60_000)} min`;

/** A change as it would be made, in lines. */
export function told(plan: ChangePlan): string {
  const t = timeline(plan.steps, newRun(plan.steps), 0);
  const ends = expectedEnd(plan.steps, newRun(plan.steps), 0);
  const at = (step: string) => t.bars.find((b) => b.id === step)?.start ?? 0;
  const lines = [
    plan.title,
    `  takes: about ${minutes(ends.middle)} (${minutes(ends.from)} to ${minutes(ends.to)}), ${counted(plan.steps.length, 'step')}`,
    `  unavailable meanwhile: ${plan.away}`,
    ...(plan.point ? [`  cannot be undone after: ${minutes(at(plan.point.step))}, ${plan.point.text}`] : []),
    `  usable cores: ${plan.capacity.map((p) => `${p.cores} from ${minutes(p.at * 1000)}`).join(', ')}`,
    ...plan.rows.map((r) => `  ${r.what}: ${r.now} → ${r.after} (${r.how})`),
    ...(plan.further.length ? [`  then, by itself: ${plan.further.join(', ')}`] : []),
    ...worthSpeedingUp(plan.steps, newRun(plan.steps), 0)
      .slice(0, 3)
      .map((f) => `  faster by ${minutes(f.saves * 1000)}: ${fasterText(f)}`),
    ...plan.refused.map((r) => `  refused: ${r}`),
  ];
  for (const s of plan.steps) {
    const b = t.bars.find((x) => x.id === s.id);
    lines.push(`  ${minutes(b?.start ?? 0).padStart(7)}  ${s.lane.padEnd(10)} ${s.title}`);
  }
  return `${lines.join('\n')}\n`;
}

/** `charter change`: what would be done to a cluster so that it stands as planned. */
export const change = (estateOf: (a: Asked) => Estate, charterOf: (e: Estate, name?: string) => Charter): SubCommand => ({
  name: 'change',
  words: '<charter>',
  about: 'what would be done so that its cluster stands as planned: hosts, steps, what is away; exit 1 where it is refused',
  options: [
    ['--estate <dir>', 'folder with the estate as YAML'],
    ['--take-down', 'what taking the cluster down would do'],
    ['--give-back', 'what giving back the hosts of one that was taken down would do'],
    ['--renew', 'what renewing its certificates would do'],
    ['--authority', 'what the first of the three changes to another authority would do'],
    ['--now <time>', 'the time to compute with (ISO 8601); the clock otherwise'],
  ],
  run: (asked, write) => {
    const whole = estateOf(asked);
    const { name } = charterOf(whole, asked.words[0]);
    const { estate, further } = onItsWay(name, whole);
    const plan = resolve(charterOf(estate, name), estate);
    const { takeDown, giveBack, renew, authority } = asked.options;
    const kind = takeDown ? 'take-down' : giveBack ? 'give-back' : renew ? 'renew' : authority ? 'authority' : undefined;
    const due = kind ? changeAsked(kind, plan, estate) : changeDue(plan, estate, undefined, { further });
    if (asked.options.json) write(`${JSON.stringify({ due: due ?? null }, null, 2)}\n`);
    else
      write(
        due
          ? told(due)
          : kind
            ? `nothing of ${asked.words[0]} stands that this could be done to\n`
            : `${asked.words[0]} stands as planned\n`,
      );
    return due?.refused.length ? 1 : 0;
  },
});
