import { counted } from '@praesidor/core/words';
import {
  castPlan,
  firmwarePlan,
  type HostColumns,
  hostColumns,
  hostFilter,
  judgeOf,
  readHosts,
  standingPacking,
} from '@praesidor/core/hosts';
import { byName, type Estate, type Host, nearest, writeDocument } from '@praesidor/core/model';
import { estateOf, estateOption, nowOption, readText, Unusable } from '../estate.ts';
import { type Asked, type CommandGroup, tell } from '../options.ts';

const text = (asked: Asked, name: string) =>
  typeof asked.options[name] === 'string' ? (asked.options[name] as string) : undefined;

/** `header=field` with commas between. @throws Unusable where a field is none */
function columnsIn(asked: Asked): HostColumns {
  const out: Record<string, string> = {};
  for (const part of (text(asked, 'columns') ?? '').split(',').filter(Boolean)) {
    const at = part.lastIndexOf('=');
    const field = part.slice(at + 1).trim();
    if (at < 1 || (field && !(hostColumns as readonly string[]).includes(field)))
      throw new Unusable(`--columns: ${part} is not header=field; fields are ${hostColumns.join(', ')}`);
    out[part.slice(0, at)] = field;
  }
  return out as HostColumns;
}

/** Hosts by the words of the language of filters; all of them without words. */
function chosen(asked: Asked, estate: Estate): Host[] {
  const q = asked.words.join(' ');
  const filter = hostFilter(q, judgeOf(estate));
  const [wrong] = filter.wrong;
  if (wrong) throw new Unusable(`column ${wrong.from + 1}: ${wrong.message}`);
  return estate.hosts.filter(filter.test).sort(byName);
}

/** Columns set to their widest cell. */
function columns(rows: string[][]): string[] {
  const widths = rows[0]?.map((_, i) => Math.max(...rows.map((r) => (r[i] ?? '').length))) ?? [];
  return rows.map((r) =>
    r
      .map((c, i) => c.padEnd(widths[i] ?? 0))
      .join('  ')
      .trimEnd(),
  );
}

const common = [estateOption, nowOption];

/** Hosts of an estate in YAML: listed, judged, taken from a table, their firmware planned, guests packed. */
export const hosts: CommandGroup = {
  name: 'hosts',
  about: 'hosts of an estate: list, fit, import, plan-firmware, pack',
  commands: [
    {
      name: 'list',
      words: '[filter...]',
      about: 'hosts by facts: zone:B memory>=64GiB fit:worker state:fit disk.nvme>=2',
      options: common,
      run: (asked, write) => {
        const estate = estateOf(asked);
        const found = chosen(asked, estate);
        const rows = found.map((h) => [
          h.name,
          h.site,
          h.guest ? h.guest.hypervisor : h.rack ? `${h.rack} u${h.unit}` : '-',
          h.zone ?? '-',
          h.facts ? `${h.facts.cores} cores` : '?',
          h.facts ? `${h.facts.memoryGiB} GiB` : '?',
          h.held ? `${h.state} ${h.held.charter}` : h.state,
        ]);
        tell(asked, write, { hosts: found }, columns(rows));
        return 0;
      },
    },
    {
      name: 'fit',
      words: '[filter...]',
      about: 'each role for each host: fits, or every reason with the figure that misses; exits 1 when one fits nothing',
      options: common,
      run: (asked, write) => {
        const estate = estateOf(asked);
        const judge = judgeOf(estate);
        const found = chosen(asked, estate).map((h) => ({
          host: h.name,
          roles: judge(h).map((f) => ({
            role: f.role,
            fits: f.fits,
            reasons: f.reasons,
            mend: f.lines.flatMap((l) => l.mend ?? []),
          })),
        }));
        tell(
          asked,
          write,
          { hosts: found },
          found.flatMap((h) =>
            h.roles.length
              ? h.roles.map(
                  (r) =>
                    `${h.host} ${r.role}: ${r.fits ? 'fits' : r.reasons.join('; ')}${r.mend.length ? ` (${r.mend.join('; ')})` : ''}`,
                )
              : [`${h.host}: its facts are not known`],
          ),
        );
        return found.some((h) => !h.roles.some((r) => r.fits)) ? 1 : 0;
      },
    },
    {
      name: 'import',
      words: '<file>',
      about: 'a table of hosts (CSV) as documents on standard output; what is wrong goes line by line, and exits 1',
      options: [
        ...common,
        ['--site <name>', 'where no column names it'],
        ['--columns <list>', 'what columns are read as, such as "Size (GB)=memory gib,Owner="; nothing: not read'],
        ['--preview', 'only what each line would do'],
      ],
      run: (asked, write) => {
        const estate = estateOf(asked);
        const p = readHosts(
          readText(asked.words[0] as string),
          estate.sites,
          estate.hosts,
          estate.now,
          text(asked, 'site'),
          columnsIn(asked),
        );
        if (p.fault) throw new Unusable(`${asked.words[0]}:${p.fault.line}: ${p.fault.message}`);
        const wrong = p.lines.filter((l) => l.what === 'wrong' || l.what === 'double');
        const told = (asked.options.preview ? p.lines : wrong).map(
          (l) => `${asked.words[0]}:${l.line}: ${l.name || '?'} ${l.what}${l.message ? `: ${l.message}` : ''}`,
        );
        const docs = p.lines.filter((l) => l.what === 'new' || l.what === 'changed').flatMap((l) => l.doc ?? []);
        if (asked.options.json) tell(asked, write, { counts: p.counts, lines: p.lines }, []);
        else if (asked.options.preview || wrong.length) tell(asked, write, {}, told);
        else write(docs.map(writeDocument).join('---\n'));
        return wrong.length ? 1 : 0;
      },
    },
    {
      name: 'plan-firmware',
      words: '[filter...]',
      about:
        'the updates that bring hosts to the baseline of their model, in order, with the restarts; exits 1 when there are any',
      options: common,
      run: (asked, write) => {
        const estate = estateOf(asked);
        const plans = chosen(asked, estate)
          .map((h) => firmwarePlan(h, estate.baselines))
          .filter((p) => p.steps.length);
        tell(
          asked,
          write,
          { plans },
          plans.flatMap((p) => [
            `${p.host}: ${counted(p.reboots, 'restart')}, ${p.minutes} min${p.refused ? `; not now: ${p.refused}` : ''}`,
            ...p.steps.map((s) => `  ${s.part} ${s.from} to ${s.to}${s.reboot ? ', then restart' : ''}`),
          ]),
        );
        return plans.length ? 1 : 0;
      },
    },
    {
      name: 'pack',
      words: '[mould]',
      about: 'guests onto the hypervisors of a site; without a mould, what is left there and when any one fails',
      options: [
        ...common,
        ['--site <name>', 'the site'],
        ['--count <n>', 'how many guests'],
        ['--stem <name>', 'what their names begin with'],
        ['--group <name>', 'kept apart as this group'],
        ['--dense', 'on as few hypervisors as can be'],
        ['--no-failure', 'keep no room for a hypervisor that fails'],
      ],
      run: (asked, write) => {
        const estate = estateOf(asked);
        const sites = [...new Set(estate.hypervisors.map((h) => h.site))];
        const site = text(asked, 'site') ?? (sites.length === 1 ? sites[0] : undefined);
        if (!site || !sites.includes(site))
          throw new Unusable(`--site: ${site ?? 'none'} has no hypervisors; there are some at ${sites.join(', ') || 'no site'}`);
        const [mould] = asked.words;
        if (mould && !estate.moulds.some((m) => m.name === mould)) {
          const near = nearest(
            mould,
            estate.moulds.map((m) => m.name),
          );
          throw new Unusable(`there is no mould ${mould}${near ? `; did you mean ${near}?` : ''}`);
        }
        const count = Number(text(asked, 'count') ?? 1);
        if (!Number.isInteger(count) || count < 1 || count > 10_000)
          throw new Unusable(`--count: ${text(asked, 'count')} is not a whole number from 1 to 10000`);
        const plan = mould
          ? castPlan(
              {
                site,
                mould,
                count,
                stem: text(asked, 'stem') ?? `${site}-n`,
                group: text(asked, 'group'),
                rules: { strategy: asked.options.dense ? 'dense' : 'spread', tolerate: asked.options.failure === false ? 0 : 1 },
              },
              estate,
            )
          : { hosts: [], packing: standingPacking(estate, site) };
        const { packing } = plan;
        const fresh = new Set(plan.hosts.map((h) => h.name));
        tell(asked, write, { packing, hosts: plan.hosts }, [
          ...packing.placed.filter((p) => fresh.has(p.guest)).map((p) => `${p.guest} on ${p.hypervisor}`),
          ...packing.unplaced.map((u) => `${u.guest} nowhere: ${u.why}`),
          ...packing.left.map((l) => {
            const loss = packing.losses.find((x) => x.hypervisor === l.hypervisor);
            const fails = !loss
              ? 'carries nobody'
              : loss.stranded.length
                ? `when it fails, ${loss.stranded.join(', ')} find no room`
                : 'when it fails, all find room';
            return `${l.hypervisor} has ${l.memoryGiB} GiB and ${l.vcpu} vCPU left; ${fails}`;
          }),
          packing.bound.text,
        ]);
        return packing.unplaced.length || packing.losses.some((l) => l.stranded.length) ? 1 : 0;
      },
    },
  ],
};
