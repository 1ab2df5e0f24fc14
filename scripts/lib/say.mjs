/** What the scripts tell the person: what is done, and how long it took. One clear line when it cannot go on. */
export function fail(line) {
  process.stderr.write(`\n${line}\n`);
  process.exit(1);
}

export async function step(what, act) {
  const began = Date.now();
  process.stdout.write(`${what} … `);
  const said = await act();
  process.stdout.write(`${typeof said === 'string' ? `${said}, ` : ''}${((Date.now() - began) / 1000).toFixed(1)} s\n`);
  return said;
}
