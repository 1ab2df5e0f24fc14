const rule = (name, comment, from, to) => ({
  name,
  comment,
  severity: 'error',
  from: { path: from, pathNot: '(\\.test\\.ts$|/test/)' },
  to: { path: to },
});

/** The arrows of imports run one way: docs/architecture.md. */
export default {
  forbidden: [
    rule(
      'core-stays-pure',
      'core imports nothing of ours and nothing that does I/O',
      '^packages/core/src',
      '^(packages/(protocols|registry|shipping|backups|standins)|apps/)|^(node:)?(fs|net|http|https|tls|dgram|child_process|os|path|crypto|worker_threads)$|node_modules/(react|fastify|typeorm|pg|undici)/',
    ),
    rule(
      'protocols-know-core-only',
      'protocol clients know neither server nor stand-ins',
      '^packages/protocols/src',
      '^(packages/(registry|shipping|backups|standins)|apps/)',
    ),
    rule(
      'shipping-knows-core-and-protocols',
      'cases are packed and landed by the server and by the command line alike',
      '^packages/shipping/src',
      '^(packages/(registry|backups|standins)|apps/)',
    ),
    rule(
      'backups-know-core-and-protocols',
      'blocks are made and given back wherever a volume is read and written',
      '^packages/backups/src',
      '^(packages/(registry|shipping|standins)|apps/)',
    ),
    rule(
      'contract-knows-core-only',
      'what the API answers is known to both sides, and knows neither',
      '^packages/contract/src',
      '^(packages/(protocols|registry|shipping|backups|standins)|apps/)',
    ),
    rule('hashing-is-a-leaf', 'it is used from below everything else', '^packages/hashing/src', '^(packages/(?!hashing)|apps/)'),
    rule(
      'registry-stands-alone',
      'the registry must run where nothing else is: it is bundled with the one leaf that it uses',
      '^packages/registry/src',
      '^(packages/(core|protocols|shipping|standins)|apps/)',
    ),
    rule(
      'no-standins-in-the-product',
      'the product never knows that it talks to a stand-in',
      '^(apps/(server|web|cli)/src|packages/(core|protocols|registry|shipping|backups)/src)',
      '^packages/standins',
    ),
    rule(
      'web-through-http',
      'the interface uses core and HTTP',
      '^apps/web/src',
      '^(packages/(protocols|registry|shipping|backups|standins)|apps/server)',
    ),
    rule(
      'the-command-stands-alone',
      'the command line works on files, media and registries, and on a server over HTTP alone',
      '^apps/cli/src',
      '^(packages/(registry|standins)|apps/server)',
    ),
    {
      name: 'no-circles',
      severity: 'error',
      from: { pathNot: '(routes\\.tsx$)' },
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    exclude: { path: '(dist|node_modules/.vite)' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'default'],
      extensions: ['.ts', '.tsx', '.js', '.mjs'],
    },
  },
};
