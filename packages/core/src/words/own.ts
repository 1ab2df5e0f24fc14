/**
 * Words that have a meaning of their own here, each in a line. Everything else is said in the words of the trade. They are shown
 * where a word first stands on a page; docs/words.md is the same list, held to it by a test.
 */
export const ownWords = {
  estate: 'everything declared: sites, hosts, networks, names, images, clusters',
  'proving ground': 'the simulator: devices that are played, and faults planted in them',
  margin: 'the panel at the right: findings beside what they are about',
  finding: 'what a check found: stop, mind or note',
  stop: 'the build may not start',
  mind: 'it will hurt later',
  note: 'worth knowing',
  follows: 'a value that Praesidor computed; the others were set',
  sighted: 'a host that was seen and is not in the estate yet',
  listed: 'a host in the estate, not measured yet',
  fit: 'a host measured good for a role',
  held: 'a host promised to a charter',
  serving: 'a host that is a node of a cluster',
  resting: 'a host given back, to be wiped',
  retired: 'a host that is not used any more',
  fitness: 'for each role: fits, or the reasons why not',
  mould: 'what a guest is cast from: vCPU, memory, disks, OS image, networks',
  ledger: 'all reserved addresses, with owner, origin and state',
  bill: 'the images that a release and its add-ons need, by digest, each layer once',
  shipment: 'blobs moved from one registry to another, over the link or on media',
  case: 'one medium’s worth of a shipment',
  'starter registry': 'the small first registry at a site, before any cluster',
  'standing registry': 'the lasting registry at a site',
  charter: 'one cluster, declared; everything else follows from it',
  open: 'a site with a normal network',
  thin: 'a site with a slow or part-time link',
  sealed: 'a site without any path to the outside; media only',
  'boot kit': 'the files that install one cluster, by host',
  build: 'one execution of a charter',
  step: 'a unit of work in a build',
  lane: 'the steps of one host in a build',
  proof: 'a measured check before or after building, with its evidence',
  keyring: 'stored credentials, encrypted; referred to by name, never shown',
} as const;
export type OwnWord = keyof typeof ownWords;

/** The line of a word as it is written somewhere, plural or capital; undefined: it has no meaning of its own. */
export function meaningOf(text: string): string | undefined {
  const plain = text.toLowerCase();
  const found = [plain, plain.replace(/s$/, '')].find((w) => Object.hasOwn(ownWords, w));
  return found && ownWords[found as OwnWord];
}
