import { type BroughtObject, readManifests } from '../model/manifests.ts';
import type { Addon } from '../model/documents.ts';
import { secretsOf, settingsOf } from '../files/cluster/addons.ts';
import { namespace } from '../files/cluster/object.ts';

/** An object as the API of a cluster knows it. */
export interface ObjectName {
  apiVersion: string;
  kind: string;
  /** None: it stands in no namespace, or in `default`. */
  namespace?: string;
  name: string;
}

/** One object has one text, whatever version of its group it was given in. */
export const objectKey = (o: ObjectName): string =>
  [o.apiVersion.includes('/') ? o.apiVersion.split('/')[0] : '', o.kind, o.namespace ?? '', o.name].join(' ');
export const nameOf = (o: Pick<BroughtObject, 'apiVersion' | 'kind' | 'metadata'>): ObjectName => ({
  apiVersion: o.apiVersion,
  kind: o.kind,
  ...(o.metadata.namespace ? { namespace: o.metadata.namespace } : {}),
  name: o.metadata.name,
});

/**
 * What an add-on can be in a cluster: the objects of its manifests, or its programs, each as either kind that programs are run as; and what was answered
 * to it.
 */
export function objectsOf(addon: Addon): ObjectName[] {
  const questions = addon.questions ?? [];
  const answered = (kind: string, name: string) => ({ apiVersion: 'v1', kind, namespace, name });
  return [
    ...(questions.some((q) => q.type !== 'secret') ? [answered('ConfigMap', settingsOf(addon))] : []),
    ...(questions.some((q) => q.type === 'secret') ? [answered('Secret', secretsOf(addon))] : []),
    ...(addon.manifests
      ? readManifests(addon.manifests).objects.map(nameOf)
      : addon.components
          .filter((c) => c.on !== 'boot')
          .flatMap((c) => ['DaemonSet', 'Deployment'].map((kind) => ({ apiVersion: 'apps/v1', kind, namespace, name: c.name })))),
  ];
}
