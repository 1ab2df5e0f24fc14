import { type Role, roles } from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import { leastPassword } from '../areas/accounts/passwords.ts';
import { changeAccount, isRole, listAccounts, makeAccount, resetPassword } from '../areas/accounts/service.ts';
import { openDatabase } from '../db/data-source.ts';
import { rotateKey } from './rotate-key.ts';

/**
 * `npm run admin`: accounts and the key of the keyring, on the machine of the server, for when nobody can sign in or
 * nothing else runs. It speaks to the database alone; what it does is in the record as done by `admin`.
 */
const usage = `npm run admin -- accounts list
npm run admin -- accounts add LOGIN ROLE NAME     a password is made and shown once
npm run admin -- accounts role LOGIN ROLE         ${roles.join(', ')}
npm run admin -- accounts disable LOGIN
npm run admin -- accounts enable LOGIN
npm run admin -- accounts password LOGIN          a new password is made and shown once; its sessions end
npm run admin -- keyring rotate-key               from PRAESIDOR_KEY to PRAESIDOR_NEW_KEY, all or nothing`;

class Usage extends Error {}
const say = (text: string) => process.stdout.write(`${text}\n`);
const need = (text: string | undefined, what: string): string => {
  if (!text) throw new Usage(`${what} is missing`);
  return text;
};
const role = (text: string | undefined): Role => {
  const r = need(text, 'ROLE');
  if (!isRole(r)) throw new Usage(`${r} is no role; roles are ${roles.join(', ')}`);
  return r;
};
const who = 'admin';
const shown = (login: string, password: string | undefined) =>
  say(`${login}: the password is ${password} (shown only here; at least ${leastPassword} characters when it is changed)`);

const commands: Record<string, (m: EntityManager, args: string[]) => Promise<void>> = {
  'accounts list': async (m) => {
    for (const a of await listAccounts(m))
      say(
        [a.login.padEnd(16), a.role.padEnd(8), a.disabled ? 'disabled' : 'enabled ', `${a.sessions} signed in`, a.name].join(
          '  ',
        ),
      );
  },
  'accounts add': async (m, [login, r, ...name]) => {
    const l = need(login, 'LOGIN');
    if (!/^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/.test(l))
      throw new Usage(`${l} is no login: lower-case letters, digits, dots and hyphens`);
    const { password } = await makeAccount(m, { login: l, role: role(r), name: name.join(' ') || l }, who);
    shown(l, password);
  },
  'accounts role': async (m, [login, r]) => changeAccount(m, need(login, 'LOGIN'), { role: role(r) }, who),
  'accounts disable': async (m, [login]) => changeAccount(m, need(login, 'LOGIN'), { disabled: true }, who),
  'accounts enable': async (m, [login]) => changeAccount(m, need(login, 'LOGIN'), { disabled: false }, who),
  'accounts password': async (m, [login]) => {
    const l = need(login, 'LOGIN');
    shown(l, (await resetPassword(m, l, undefined, who)).password);
  },
  'keyring rotate-key': async (m) => {
    const n = await rotateKey(m, key('PRAESIDOR_KEY'), key('PRAESIDOR_NEW_KEY'), who);
    say(
      `${n} secrets are sealed with the new key. Start the servers with it in PRAESIDOR_KEY; the old one opens nothing any more.`,
    );
  },
};
function key(name: string): Buffer {
  const k = Buffer.from(process.env[name] ?? '', 'hex');
  if (k.length !== 32) throw new Usage(`${name} must be 64 hex digits`);
  return k;
}

const [group = '', verb = '', ...args] = process.argv.slice(2);
const command = commands[`${group} ${verb}`];
if (!command) {
  process.stderr.write(`${usage}\n`);
  process.exit(2);
}
if (!process.env.DATABASE_URL) {
  process.stderr.write('DATABASE_URL is not set; docs/operations.md says what belongs there\n');
  process.exit(2);
}
const db = await openDatabase(process.env.DATABASE_URL);
try {
  await db.transaction((m) => command(m, args));
} catch (e) {
  process.stderr.write(`${(e as Error).message}${e instanceof Usage ? `\n${usage}` : ''}\n`);
  process.exitCode = e instanceof Usage ? 2 : 1;
} finally {
  await db.destroy();
  process.disconnect?.();
}
