import type { Finding } from '../checks/check.ts';

/** Where what a finding is about stands in the interface, with its site. */
export function placeOf(subject: Finding['subject'], site: string): string {
  const q = (path: string, more = '') => `${path}?${[site && `site=${site}`, more].filter(Boolean).join('&')}`;
  const { kind, name } = subject;
  switch (kind) {
    case 'Charter':
      return q(`/clusters/${name}`);
    case 'Template':
      return q(`/clusters/templates/${name}`);
    case 'Host':
      return q(`/hosts/${name}`);
    case 'Sighting':
      return q('/hosts', `at=${name}`);
    case 'Network':
      return q('/addresses', `net=${name}`);
    case 'Gateway':
      return q('/addresses/routes', `gateway=${name}`);
    case 'Reservation': {
      const [network = '', address = ''] = name.split('/');
      return q('/addresses', `net=${network}&at=${address}`);
    }
    case 'Zone':
      return q('/addresses/names', `zone=${name}`);
    case 'Record':
      return q('/addresses/names');
    case 'Registry':
      return q('/images/rules', `at=${name}`);
    case 'Release':
    case 'Addon':
      return q('/images');
    case 'Hypervisor':
    case 'Mould':
      return q('/hosts/hypervisors');
    case 'Team':
      return q('/people/teams', `at=${name}`);
    case 'BackupStore':
      return q('/clusters/stores', `at=${name}`);
    case 'Profile':
    case 'Baseline':
      return q('/hosts/profiles');
    case 'Site':
      return q('/declare', `edit=${encodeURIComponent(`Site ${name}`)}`);
  }
}

/** Where a remedy that is not an edit leads. */
export function actPlace(finding: Finding): string {
  const act = finding.remedy?.act;
  const site = finding.site && `site=${finding.site}`;
  if (!act) return placeOf(finding.subject, finding.site);
  if (act.kind === 'send-zone') return `/addresses/names?zone=${act.zone}&${site}`;
  if (act.kind === 'plan-shipment') return `/images?plan=${act.target}&bills=${act.bills.join(',')}&${site}`;
  return act.path.includes('site=') || !site ? act.path : `${act.path}${act.path.includes('?') ? '&' : '?'}${site}`;
}
