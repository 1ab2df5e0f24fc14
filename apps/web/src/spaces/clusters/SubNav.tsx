import { SubNav as Sheets } from '../../parts/SubNav.tsx';

const views = [
  ['/clusters', 'Clusters'],
  ['/clusters/templates', 'Templates'],
  ['/clusters/stores', 'Backup stores'],
] as const;

export const SubNav = ({ site }: { site: string }) => <Sheets label="Clusters" views={views} site={site} />;
