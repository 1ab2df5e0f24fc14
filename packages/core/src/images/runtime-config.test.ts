import { parse } from 'smol-toml';
import { describe, expect, it } from 'vitest';
import { hostsToml, readHostsToml, readRegistriesConf, registriesConf, whereFrom } from './index.ts';

const rules = [
  { source: 'images.upstream.example', mirror: 'depot.lr.example:5000' },
  { source: 'images.upstream.example/core', mirror: 'depot.lr.example:5000/kept/core' },
];

describe('mirror rules', () => {
  it('answer with the longest source that a name begins with, part by part', () => {
    expect(whereFrom('images.upstream.example/core/api:1', rules)).toMatchObject({
      endpoint: 'depot.lr.example:5000',
      repository: 'kept/core/api',
    });
    expect(whereFrom('images.upstream.example/corepack/api:1', rules)).toMatchObject({
      repository: 'corepack/api',
      rule: rules[0],
    });
    expect(whereFrom('other.example/core/api:1', rules)).toMatchObject({ endpoint: 'other.example' });
    expect(whereFrom('other.example/core/api:1', rules).rule).toBeUndefined();
  });
  it('are written for both runtimes as TOML that is read back as the same rules', () => {
    expect(readRegistriesConf(registriesConf(rules))).toEqual({ rules, faults: [], unread: [] });
    for (const r of rules) {
      const text = hostsToml(r.source, r.mirror, { ca: '/etc/trust/ca.crt', authorization: 'Basic eDp5' });
      expect(readHostsToml(r.source, text)).toEqual({ rules: [r], faults: [], unread: [] });
      // The server is asked for what the host lacks: with other trust or another header, a missing image reads as a fault of these.
      const { server, host, ...top } = parse(text) as { server: string; host: Record<string, object> };
      expect(host).toEqual({ [server]: top });
      expect(Object.keys(top)).toEqual(expect.arrayContaining(['capabilities', 'ca', 'header']));
    }
  });
  it('that somebody else wrote are read with what they let through', () => {
    const conf = readRegistriesConf(
      '[[registry]]\nprefix = "up.example"\nlocation = "up.example"\ninsecure = true\nodd = 1\n[[registry.mirror]]\nlocation = "m.example:5000/x"\ninsecure = true\n',
    );
    expect(conf.rules).toEqual([{ source: 'up.example', mirror: 'm.example:5000/x' }]);
    expect(conf.faults.map((f) => f.message)).toEqual([
      'm.example:5000/x is asked without looking at its certificate',
      'up.example is asked without looking at its certificate',
    ]);
    expect(conf.unread).toEqual(['registry.odd']);
    const hosts = readHostsToml('up.example', 'server = "https://up.example"\n[host."http://m.example"]\nskip_verify = true\n');
    expect(hosts.faults.map((f) => f.message)).toEqual([
      "http://m.example is asked without TLS: what it answers could be anybody's",
      'http://m.example is asked without looking at its certificate',
      'what the mirror does not have is asked of up.example itself',
    ]);
  });
  it('that are no TOML are refused with line and column', () => {
    expect(readRegistriesConf('a = 1\nb = = 2\n').faults).toMatchObject([{ line: 2, column: 5 }]);
  });
});
