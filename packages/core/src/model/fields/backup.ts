import type { Fields } from './field.ts';

export const backupStoreFields: Fields = {
  name: { label: 'Name', example: 'bw-objects', mono: true },
  site: { label: 'Site', refers: { kind: 'Site' } },
  title: { label: 'Title' },
  as: { label: 'Kept as', choices: { objects: 'objects (S3 protocol)', nfs: 'files of an NFS export' } },
  endpoint: { label: 'Endpoint', example: 'objects.bw.example:9000', mono: true },
  bucket: { label: 'Bucket', example: 'backups', mono: true },
  region: { label: 'Region', help: 'As the store calls its own; empty: it has none.', rare: true },
  credential: { label: 'Credential', help: 'Entry of the keyring.', refers: { key: 'objects' }, mono: true },
  ca: { label: 'CA', help: 'Certificates in PEM.', mono: true, lines: true, file: '.pem,.crt,.cer', rare: true },
  server: { label: 'NFS server', example: '10.40.8.60', mono: true },
  path: { label: 'Exported path', example: '/export/backups', mono: true },
  key: {
    label: 'Encryption key',
    help: 'Entry of the keyring; without it no backup can be read.',
    refers: { key: 'encryption' },
    mono: true,
  },
  sizeGB: { label: 'May hold', unit: 'GB', help: 'Empty: not known.' },
  rateMbit: { label: 'Rate', unit: 'Mbit/s', help: 'How quickly it gives and takes; empty: as the links do.', rare: true },
  host: { label: 'Runs on', help: 'Where that is a host of the estate.', refers: { kind: 'Host' }, rare: true },
};
