import { addonsOf } from '../../model/bills.ts';
import type { Addon } from '../../model/documents.ts';
import { readManifests } from '../../model/manifests.ts';
import type { KitContext } from '../kit.ts';
import { type ClusterObject, configMap, namespace, onWorkers } from './object.ts';
import { announcer } from '../../model/announcer.ts';

const here = (ctx: KitContext): Addon[] =>
  addonsOf(ctx.plan.charter).flatMap((name) => ctx.estate.addons.find((a) => a.name === name) ?? []);
/** A name of an add-on as objects of the API can have it. */
const plain = (addon: Addon) => addon.name.replaceAll('.', '-');
export const settingsOf = (addon: Addon) => `${plain(addon)}-settings`;
export const secretsOf = (addon: Addon) => `${plain(addon)}-secrets`;

/** What was answered to an add-on, for its programs to read: a ConfigMap, and a Secret for what comes from the keyring. */
function answers(ctx: KitContext, addon: Addon): ClusterObject[] {
  const of = ctx.plan.answers.filter((a) => a.addon === addon.name);
  const open = of.filter((a) => !a.secret);
  const secret = of.filter((a) => a.secret);
  return [
    ...(open.length ? [configMap(settingsOf(addon), Object.fromEntries(open.map((a) => [a.question, a.value])))] : []),
    ...(secret.length
      ? [
          {
            apiVersion: 'v1',
            kind: 'Secret',
            metadata: { name: secretsOf(addon), namespace },
            stringData: Object.fromEntries(secret.map((a) => [a.question, ctx.secret(`keyring ${a.value}`)])),
          } satisfies ClusterObject,
        ]
      : []),
  ];
}

/** Programs of an add-on that are said by image alone: each on every worker, with what was answered in /etc/<add-on>. */
function programs(ctx: KitContext, addon: Addon): ClusterObject[] {
  const of = ctx.plan.answers.filter((a) => a.addon === addon.name);
  const folder = `/etc/${plain(addon)}`;
  const sources = [
    ...(of.some((a) => !a.secret) ? [{ configMap: { name: settingsOf(addon) } }] : []),
    ...(of.some((a) => a.secret) ? [{ secret: { name: secretsOf(addon) } }] : []),
  ];
  return addon.components
    .filter((c) => c.on === 'worker' && !['inbound-router', announcer].includes(c.name))
    .map((c) =>
      onWorkers({
        name: c.name,
        cluster: ctx.plan.charter.name,
        pod: {
          containers: [
            {
              name: c.name,
              image: c.image,
              ...(sources.length ? { volumeMounts: [{ name: 'answers', mountPath: folder, readOnly: true }] } : {}),
            },
          ],
          ...(sources.length ? { volumes: [{ name: 'answers', projected: { sources } }] } : {}),
        },
      }),
    );
}

/** What an add-on gives to the API: the manifests that it brings, or its programs; before them what was answered to it. */
const objectsOf = (ctx: KitContext, addon: Addon): ClusterObject[] => [
  ...answers(ctx, addon),
  ...(addon.manifests ? inOrder(readManifests(addon.manifests).objects as unknown as ClusterObject[]) : programs(ctx, addon)),
];
/** What others of them lie in comes first, wherever it stands in the text; the rest as it stands. */
const first = ['Namespace', 'CustomResourceDefinition'];
const inOrder = (all: ClusterObject[]): ClusterObject[] => [
  ...first.flatMap((kind) => all.filter((o) => o.kind === kind)),
  ...all.filter((o) => !first.includes(o.kind ?? '')),
];

/** The add-ons of a cluster, but for the one that brings its pod network. */
export const addons = (ctx: KitContext): ClusterObject[] =>
  here(ctx)
    .filter((a) => a.name !== ctx.plan.charter.podNetwork)
    .flatMap((a) => objectsOf(ctx, a));

/** The pod network where an add-on brings it. */
export const broughtNetwork = (ctx: KitContext): ClusterObject[] =>
  here(ctx)
    .filter((a) => a.name === ctx.plan.charter.podNetwork)
    .flatMap((a) => objectsOf(ctx, a));
