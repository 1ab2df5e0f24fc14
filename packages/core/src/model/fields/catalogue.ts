import type { Kind } from '../documents.ts';
import { backupStoreFields } from './backup.ts';
import { charterFields } from './charter.ts';
import type { Fields } from './field.ts';
import { hypervisorFields, mouldFields } from './guest.ts';
import { gatewayFields } from './gateway.ts';
import { hostFields } from './host.ts';
import { addonFields, registryFields, releaseFields } from './image.ts';
import { networkFields } from './network.ts';
import { baselineFields, profileFields } from './requirement.ts';
import { reservationFields } from './reservation.ts';
import { siteFields } from './site.ts';
import { teamFields } from './team.ts';
import { templateFields } from './template.ts';
import { recordFields, zoneFields } from './zone.ts';

/** What every kind of document is, in a sentence. */
export const kindWords: Readonly<Record<Kind, string>> = {
  Site: 'A place where machines stand: how it is reached, its domain, its resolvers, its racks.',
  Network: 'A prefix at a site with one purpose: its VLAN, gateway, pools and routes.',
  Gateway: 'What joins networks: a router, or several that stand in for one another.',
  Zone: 'A DNS zone that the product keeps up by signed updates.',
  Profile: 'What a role requires of a machine, instead of the usual.',
  Baseline: 'The firmware that machines of a model are to have.',
  Mould: 'What a guest is cast from.',
  Hypervisor: 'A machine that guests run on.',
  Host: 'A machine or guest that can become a node.',
  Registry: 'A place that holds images: a source, or a mirror at a site.',
  Release: 'A version of the cluster’s own components, by image.',
  Addon: 'What is installed beside the release, by image.',
  BackupStore: 'Where backups of volumes go: an object store, or an NFS export.',
  Team: 'People who have clusters of their own: where, how large, and of what.',
  Template: 'A charter with blanks, for clusters that are alike.',
  Charter: 'One cluster, declared; everything else follows from it.',
  Reservation: 'An address that somebody has.',
  Record: 'A DNS record that is planned by hand.',
};

/** The words of every field of every kind. A test holds the list to the schemas. */
export const fieldWords: Readonly<Record<Kind, Fields>> = {
  Site: siteFields,
  Network: networkFields,
  Gateway: gatewayFields,
  Zone: zoneFields,
  Profile: profileFields,
  Baseline: baselineFields,
  Mould: mouldFields,
  Hypervisor: hypervisorFields,
  Host: hostFields,
  Registry: registryFields,
  Release: releaseFields,
  Addon: addonFields,
  BackupStore: backupStoreFields,
  Template: templateFields,
  Team: teamFields,
  Charter: charterFields,
  Reservation: reservationFields,
  Record: recordFields,
};
