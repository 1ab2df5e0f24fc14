import { SubNav as Sheets } from '../../parts/SubNav.tsx';

const views = [
  ['/images', 'At registries'],
  ['/images/rules', 'Rules and trust'],
  ['/images/pulls', 'Pulls'],
  ['/images/clean-up', 'Clean up'],
] as const;

export const SubNav = ({ site }: { site: string }) => <Sheets label="Images" views={views} site={site} />;
