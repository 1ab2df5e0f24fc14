import {
  aggregate,
  carve,
  formatIp,
  formatPrefix,
  formatRange,
  isIp,
  overlappingPairs,
  parseIp,
  parsePrefix,
  parseRange,
  prefixesOf,
  prefixRange,
  size,
  subtract,
} from '@praesidor/core/address';
import { choose, spaceFor, type Spoken, spokenFor, type Wish } from '@praesidor/core/ledger';
import { nearest, type Network } from '@praesidor/core/model';
import { estateOption, readEstate, readText, Unusable } from '../estate.ts';
import { type Asked, type CommandGroup, tell } from '../options.ts';

/** Reads with the place at which it went wrong said in the command line's own words. */
function read<T>(what: string, text: string, parse: (t: string) => T): T {
  try {
    return parse(text);
  } catch (e) {
    throw new Unusable(`${what}: ${(e as Error).message}`);
  }
}
const number = (what: string, value: string | boolean | undefined, from: number, to: number): number | undefined => {
  if (value === undefined) return undefined;
  const n = Number(value);
  if (!Number.isInteger(n) || n < from || n > to)
    throw new Unusable(`${what}: ${String(value)} is not a whole number from ${from} to ${to}`);
  return n;
};

/** A network of the estate by its name, with what is taken; or a bare prefix with what --taken names. */
function place({ words, options }: Asked): { network: Network; taken: string[]; spoken: readonly Spoken[] } {
  const what = words[0] as string;
  if (what.includes('/')) {
    const prefix = formatPrefix(read('prefix', what, parsePrefix));
    const taken = typeof options.taken === 'string' ? options.taken.split(/[\s,;]+/).filter(Boolean) : [];
    for (const t of taken) if (!isIp(t)) throw new Unusable(`--taken: ${t} is not an address`);
    return {
      network: {
        apiVersion: 'praesidor/v1',
        kind: 'Network',
        name: prefix,
        site: '-',
        purpose: 'machine',
        prefix,
        mtu: 1500,
        dhcp: [],
        pools: [],
        routesTo: [],
        routes: [],
      },
      taken,
      spoken: [],
    };
  }
  if (typeof options.estate !== 'string') throw new Unusable(`${what} is no prefix; for a network by its name give --estate`);
  const estate = readEstate({ estate: options.estate });
  const network = estate.networks.find((n) => n.name === what);
  if (!network) {
    const near = nearest(
      what,
      estate.networks.map((n) => n.name),
    );
    throw new Unusable(`there is no network ${what}${near ? `; did you mean ${near}?` : ''}`);
  }
  return {
    network,
    taken: estate.reservations.filter((r) => r.network === what).map((r) => r.address),
    spoken: spokenFor(estate, network),
  };
}

function grant(asked: Asked, wish: Wish, write: (t: string) => void): number {
  const { network, taken, spoken } = place(asked);
  const found = choose(network, spaceFor(network, taken, spoken, wish.pool), wish);
  if ('refused' in found) {
    tell(asked, write, { addresses: [], refused: found.message }, [found.message]);
    return 1;
  }
  tell(asked, write, found, found.addresses);
  return 0;
}

const takenOption: [string, string] = ['--taken <list>', 'addresses that are taken, where a bare prefix is given'];
const poolOption: [string, string] = ['--pool <name>', 'out of this pool or DHCP scope'];

/** Arithmetic of addresses, on networks of an estate or on bare prefixes. */
export const address: CommandGroup = {
  name: 'address',
  about: 'next free addresses and prefixes, what is free, what overlaps',
  commands: [
    {
      name: 'next',
      about: 'the next free address of a network or prefix',
      words: '<network>',
      options: [
        estateOption,
        takenOption,
        poolOption,
        ['--how <way>', 'lowest, highest or spread'],
        ['--after <address>', 'behind this one'],
        ['--count <n>', 'how many'],
      ],
      run: (asked, write) => {
        const { how, after, pool } = asked.options;
        if (how !== undefined && how !== 'lowest' && how !== 'highest' && how !== 'spread')
          throw new Unusable(`--how: ${String(how)} is none of lowest, highest, spread`);
        if (typeof after === 'string') read('--after', after, parseIp);
        return grant(
          asked,
          {
            count: number('--count', asked.options.count, 1, 65_536) ?? 1,
            ...(how ? { how } : {}),
            ...(typeof after === 'string' ? { after } : {}),
            ...(typeof pool === 'string' ? { pool } : {}),
          },
          write,
        );
      },
    },
    {
      name: 'block',
      about: 'the lowest free block of N addresses in a row',
      words: '<network> <count>',
      options: [estateOption, takenOption, poolOption, ['--align <n>', 'beginning at a multiple of n']],
      run: (asked, write) => {
        const { pool } = asked.options;
        return grant(
          asked,
          {
            count: number('count', asked.words[1], 1, 65_536) as number,
            align: number('--align', asked.options.align, 1, 65_536) ?? 1,
            ...(typeof pool === 'string' ? { pool } : {}),
          },
          write,
        );
      },
    },
    {
      name: 'carve',
      about: 'the next free prefix of a length inside another',
      words: '<prefix> <length>',
      options: [estateOption, ['--taken <list>', 'prefixes that are taken']],
      run: (asked, write) => {
        const parent = read('prefix', asked.words[0] as string, parsePrefix);
        const given = typeof asked.options.taken === 'string' ? asked.options.taken.split(/[\s,;]+/).filter(Boolean) : [];
        const networks =
          typeof asked.options.estate === 'string'
            ? readEstate({ estate: asked.options.estate }).networks.map((n) => n.prefix)
            : [];
        const whole = prefixRange(parent);
        const taken = [
          ...given.map((t) => prefixRange(read('--taken', t, parsePrefix))),
          ...networks
            .map((t) => prefixRange(parsePrefix(t)))
            .filter((r) => !(r.v === whole.v && r.first <= whole.first && whole.last <= r.last)),
        ];
        const found = carve(parent, taken, number('length', String(asked.words[1]).replace('/', ''), 0, 128) as number);
        tell(asked, write, { prefix: found ? formatPrefix(found) : null }, [
          found ? formatPrefix(found) : `there is no free prefix of that length in ${asked.words[0]}`,
        ]);
        return found ? 0 : 1;
      },
    },
    {
      name: 'free',
      about: 'what is free of a network or prefix, as ranges',
      words: '<network>',
      options: [estateOption, takenOption, ['--prefixes', 'as prefixes and not as ranges']],
      run: (asked, write) => {
        const { network, taken, spoken } = place(asked);
        const space = spaceFor(network, taken, spoken);
        const runs = space.freeRuns();
        const lines = asked.options.prefixes
          ? runs.flatMap(prefixesOf).map(formatPrefix)
          : runs.map((r) => `${r.first === r.last ? formatIp({ v: r.v, n: r.first }) : formatRange(r)}`);
        tell(asked, write, { free: lines, count: String(space.left), fullness: space.fullness() }, lines);
        return 0;
      },
    },
    {
      name: 'overlaps',
      about: 'pairs of prefixes or ranges that overlap; of the estate’s networks, or given, or a line each in a file',
      words: '[range...]',
      options: [
        estateOption,
        ['--file <file>', 'prefixes or ranges, one a line'],
        ['--without', 'instead: the first one without the others, as prefixes'],
        ['--joined', 'instead: all of them together as the fewest prefixes'],
      ],
      run: (asked, write) => {
        const { file, estate } = asked.options;
        const fromFile = typeof file === 'string' ? readText(file).split('\n') : [];
        const texts: { text: string; name: string }[] = [
          ...asked.words.map((text) => ({ text, name: text })),
          ...fromFile
            .map((text, i) => ({ text: text.trim(), name: `${String(file)}:${i + 1}` }))
            .filter((l) => l.text && !l.text.startsWith('#'))
            .map((l) => ({ ...l })),
          ...(typeof estate === 'string' ? readEstate({ estate }).networks.map((n) => ({ text: n.prefix, name: n.name })) : []),
        ];
        if (!texts.length) throw new Unusable('give prefixes or ranges, --file or --estate');
        const ranges = texts.map(({ text, name }) => ({ ...read(name, text, parseRange), text, name }));
        if (asked.options.joined) {
          const all = aggregate(ranges.flatMap(prefixesOf)).map(formatPrefix);
          tell(asked, write, { prefixes: all }, all);
          return 0;
        }
        if (asked.options.without) {
          const [first, ...others] = ranges as [(typeof ranges)[number], ...typeof ranges];
          const left = subtract(first, others).flatMap(prefixesOf).map(formatPrefix);
          tell(asked, write, { prefixes: left }, left);
          return 0;
        }
        const pairs = overlappingPairs(ranges).map(([a, b]) => {
          const r = { v: a.v, first: a.first > b.first ? a.first : b.first, last: a.last < b.last ? a.last : b.last };
          return { a: a.name, b: b.name, shared: formatRange(r), addresses: String(size(r)) };
        });
        tell(
          asked,
          write,
          { overlaps: pairs },
          pairs.map((p) => `${p.a} and ${p.b} share ${p.shared}`),
        );
        return pairs.length ? 1 : 0;
      },
    },
  ],
};
