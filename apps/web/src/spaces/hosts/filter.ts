import { fitness } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';

type Test = (h: Host) => boolean;
const facts: Record<string, (h: Host) => string | number | undefined> = {
  zone: (h) => h.zone,
  rack: (h) => h.rack,
  state: (h) => h.state,
  cores: (h) => h.facts?.cores,
  memory: (h) => h.facts?.memoryGiB,
  model: (h) => h.facts?.model,
  serial: (h) => h.facts?.serial,
  cluster: (h) => h.held?.charter,
  firmware: (h) => h.facts?.firmware.system,
};

/** `zone:A,B memory>=64 fit:worker` and plain words; what cannot be read is named. */
export function hostFilter(text: string): { test: Test; wrong: string[] } {
  const tests: Test[] = [];
  const wrong: string[] = [];
  for (const word of text.toLowerCase().split(/\s+/).filter(Boolean)) {
    const m = /^([a-z]+)(:|>=|<=|>|<|=)(.+)$/.exec(word);
    if (!m) {
      tests.push((h) =>
        `${h.name} ${h.facts?.serial ?? ''} ${h.bmc?.address ?? ''} ${h.facts?.nics.map((n) => n.mac).join(' ') ?? ''}`
          .toLowerCase()
          .includes(word),
      );
      continue;
    }
    const [, name = '', op, value = ''] = m;
    if (name === 'fit') {
      const roles = value.split(',');
      tests.push((h) => h.facts !== undefined && fitness(h.facts).some((f) => f.fits && roles.includes(f.role)));
      continue;
    }
    const fact = facts[name];
    if (!fact) {
      wrong.push(`${name} (there are ${[...Object.keys(facts), 'fit'].join(', ')})`);
      continue;
    }
    const number = Number.parseFloat(value);
    if (op === ':' || op === '=') {
      const any = value.split(',');
      tests.push((h) => any.includes(String(fact(h) ?? '').toLowerCase()));
    } else
      tests.push((h) => {
        const v = Number(fact(h));
        return op === '>=' ? v >= number : op === '<=' ? v <= number : op === '>' ? v > number : v < number;
      });
  }
  return { test: (h) => tests.every((t) => t(h)), wrong };
}
