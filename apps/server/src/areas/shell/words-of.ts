import { parse } from 'shell-quote';
import { Refusal } from '../../refusal.ts';

/** Flags whose value is a secret: the record has the flag without it. */
const secret = /^(--from-literal|--token|--password|--docker-password|--username|--client-key)(=|$)/;

/**
 * The words of a line as a shell reads them, without anything that a shell does beside: there is no shell behind it. A leading
 * `kubectl` may be left out.
 *
 * @throws Refusal for pipes, redirections, and what else takes a shell
 */
export function wordsOf(line: string): string[] {
  const read = parse(line, (name) => `$${name}`);
  const odd = read.find((w) => typeof w !== 'string');
  if (odd !== undefined && !('pattern' in (odd as object)))
    throw new Refusal('invalid', 'One command at a time, without pipes, redirections or comments: there is no shell behind it.', {
      remedy: 'Ask kubectl for what you want to see: -o, --selector, --field-selector.',
    });
  const words = read.map((w) => (typeof w === 'string' ? w : (w as { pattern: string }).pattern));
  const args = words[0] === 'kubectl' ? words.slice(1) : words;
  if (!args.length) throw new Refusal('invalid', 'There is no command.', { remedy: 'Type get nodes, for example.' });
  return args;
}

/** The same as it is put on record: values that are secrets are left out. */
export const recorded = (args: readonly string[]): string =>
  args
    .map((a, n) => {
      const flag = secret.exec(a);
      if (flag) return flag[2] === '=' ? `${flag[1]}=…` : a;
      return n && secret.exec(args[n - 1] as string)?.[2] === '' ? '…' : a;
    })
    .join(' ')
    .slice(0, 2000);
