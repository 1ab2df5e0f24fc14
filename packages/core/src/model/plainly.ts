/** The schema library's own sentences in ours; every other message is ours already. */
export function plainly(message: string): string {
  if (/, received undefined$/.test(message)) return `a field is missing here (${expected(message)})`;
  if (/, received null$/.test(message)) return `the value is missing (${expected(message)})`;
  return message
    .replace(/^Invalid input: expected (.+), received (.+)$/, 'expected $1, found $2')
    .replace(
      /^Invalid option: expected one of (.+)$/,
      (_, list: string) => `expected one of ${list.replace(/"/g, '').replaceAll('|', ', ')}`,
    )
    .replace(
      /^Too (?:small|big): expected \w+ to (?:be|have) ([<>]=?)(-?[\d.e+]+)(?: (\w+?)s?)?$/,
      (_, than: string, n: string, what?: string) =>
        [
          { '>=': 'at least', '<=': 'at most', '>': 'more than', '<': 'less than' }[than],
          n,
          what && (n === '1' ? what : `${what}s`),
        ]
          .filter(Boolean)
          .join(' '),
    );
}
const expected = (message: string) => message.replace(/^Invalid input: (expected .+), received .+$/, '$1');
