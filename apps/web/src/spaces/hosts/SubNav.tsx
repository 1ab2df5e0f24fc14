import { SubNav as Sheets } from '../../parts/SubNav.tsx';

const views = [
  ['/hosts', 'Machines'],
  ['/hosts/racks', 'Racks'],
  ['/hosts/hypervisors', 'Hypervisors'],
  ['/hosts/profiles', 'Requirements'],
] as const;

export const SubNav = ({ site }: { site: string }) => <Sheets label="Hosts" views={views} site={site} />;
