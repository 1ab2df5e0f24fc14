import { check as runChecks } from '@praesidor/core/checks';
import { chartersOf, readEstate } from '../estate.ts';
import type { CommandOf } from '../options.ts';

export const check: CommandOf = (options, write) => {
  const estate = readEstate(options);
  const only = options.charter ? chartersOf(estate, options.charter)[0] : undefined;
  const report = runChecks(estate);
  const findings = only
    ? report.findings.filter(
        (f) => f.charters.includes(only.name) || (f.subject.kind === 'Charter' && f.subject.name === only.name),
      )
    : report.findings;
  if (options.json) write(`${JSON.stringify({ checks: report.checks, findings }, null, 2)}\n`);
  else {
    for (const f of findings)
      write(
        `${f.severity} ${f.code} ${f.subject.kind} ${f.subject.name}${f.path.length ? ` ${f.path.join('.')}` : ''}: ${f.title}. ${f.text}${f.remedy?.edits ? ` Remedy: ${f.remedy.label}.` : ''}\n`,
      );
    const n = (s: string) => findings.filter((f) => f.severity === s).length;
    write(`${report.checks} checks: ${n('stop')} stop, ${n('mind')} mind, ${n('note')} note\n`);
  }
  return findings.some((f) => f.severity === 'stop') ? 1 : 0;
};
