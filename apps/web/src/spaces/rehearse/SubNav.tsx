import { SubNav as Sheets } from '../../parts/SubNav.tsx';

const views = [
  ['/rehearse', 'Losses'],
  ['/rehearse/cold-start', 'Cold start'],
] as const;

export const SubNav = ({ site }: { site: string }) => <Sheets label="Rehearse" views={views} site={site} />;
