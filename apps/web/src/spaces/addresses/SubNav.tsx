import { SubNav as Sheets } from '../../parts/SubNav.tsx';

const views = [
  ['/addresses', 'Networks'],
  ['/addresses/names', 'Names'],
  ['/addresses/routes', 'Routes'],
  ['/addresses/trace', 'Trace'],
] as const;

export const SubNav = ({ site }: { site: string }) => <Sheets label="Addresses" views={views} site={site} />;
