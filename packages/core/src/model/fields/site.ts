import type { Fields } from './field.ts';

export const siteFields: Fields = {
  title: { label: 'Title', help: 'What people call the place.', example: 'Lantern Rock' },
  name: { label: 'Short name', help: 'Stands in the names of its networks and hosts.', example: 'lr', mono: true },
  form: {
    label: 'Kind of site',
    choices: { hall: 'hall', 'sealed-room': 'sealed room', edge: 'edge site' },
  },
  reach: {
    label: 'Reach',
    help: 'How images come here.',
    choices: {
      open: 'open: a normal network',
      thin: 'thin: a slow or part-time link',
      sealed: 'sealed: no path, media only',
    },
  },
  link: { label: 'Link', help: 'The way by which images come here.', rare: true },
  'link.rateMbit': { label: 'Rate', unit: 'Mbit/s' },
  'link.hours': { label: 'Hours', help: 'In the time of the site.', example: '01:00-05:00', mono: true },
  fastLink: {
    label: 'Faster link at times',
    help: 'In port, or while somebody visits. Shipments use it when told to.',
    rare: true,
  },
  'fastLink.rateMbit': { label: 'Rate', unit: 'Mbit/s' },
  'fastLink.hours': { label: 'Hours', help: 'In the time of the site.', example: '06:00-22:00', mono: true },
  timezone: { label: 'Time zone', help: 'All times of the site are shown in it.', example: 'Europe/Lisbon' },
  domain: {
    label: 'DNS domain',
    help: 'Names of its hosts and clusters end in it.',
    example: 'lr.kestrelferries.example',
    mono: true,
  },
  resolvers: {
    label: 'Resolvers',
    help: 'Addresses of its DNS resolvers, with any separator.',
    example: '10.62.8.53, 10.62.8.54',
    mono: true,
  },
  ntp: { label: 'Time servers', help: 'Addresses or names, with any separator.', example: '10.62.8.60', mono: true },
  racks: { label: 'Racks' },
  'racks.*.name': { label: 'Rack', example: 'R1' },
  'racks.*.units': { label: 'Units' },
  'racks.*.limitW': { label: 'Power limit', unit: 'W' },
  zones: { label: 'Zones', help: 'Failure domains: a whole rack, or a run of its units.', rare: true },
  'zones.*.name': { label: 'Zone', example: 'A' },
  'zones.*.rack': { label: 'Rack', refers: { of: 'rack' } },
  'zones.*.from': { label: 'From unit' },
  'zones.*.to': { label: 'To unit' },
};
