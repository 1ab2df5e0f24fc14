import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { resolve } from '@praesidor/core/charter';
import { bootKit, placeholder } from '@praesidor/core/files';
import { chartersOf, readEstate, Unusable } from '../estate.ts';
import type { CommandOf } from '../options.ts';

export const files: CommandOf = (options, write) => {
  const estate = readEstate(options);
  const kits = chartersOf(estate, options.charter).map((c) => {
    const plan = resolve(c, estate);
    return {
      plan,
      files: bootKit({
        plan,
        estate,
        secret: placeholder(c.name),
        installation: c.name,
        bootUrl: (host) => `(boot address of ${host}, given by the build)`,
        reportUrl: (host) => `(address of ${host} for its reports, given by the build)`,
      }),
    };
  });
  if (options.out) {
    if (existsSync(options.out) && readdirSync(options.out).length)
      throw new Unusable(`--out: ${options.out} is not empty; nothing was written`);
    for (const k of kits)
      for (const f of k.files) {
        const path = join(options.out, k.plan.charter.name, f.path);
        mkdirSync(dirname(path), { recursive: true });
        writeFileSync(path, f.content);
      }
  }
  if (options.json)
    write(
      `${JSON.stringify(
        kits.map((k) => ({
          charter: k.plan.charter.name,
          files: k.files,
          lacking: k.plan.problems.filter((p) => p.about !== 'bill').map((p) => p.text),
        })),
        null,
        2,
      )}\n`,
    );
  else
    for (const k of kits)
      for (const f of k.files)
        write(
          `${k.plan.charter.name}/${f.path} ${new TextEncoder().encode(f.content).length} bytes${f.secret ? ', secrets named' : ''}\n`,
        );
  const lacking = kits.flatMap(({ plan }) =>
    plan.problems.filter((p) => p.about !== 'bill').map((p) => `${plan.charter.name}, ${p.about}: ${p.text}`),
  );
  // A kit that is not whole says what it lacks, and not only by its exit code.
  if (!options.json) for (const line of lacking) write(`not whole: ${line}\n`);
  return lacking.length ? 1 : 0;
};
