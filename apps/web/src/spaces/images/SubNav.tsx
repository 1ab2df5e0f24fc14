import { SubNav as Sheets } from '../../parts/SubNav.tsx';

const views = [
  ['/images', 'What is held'],
  ['/images/rules', 'Rules and trust'],
  ['/images/pulls', 'Pulls'],
  ['/images/away', 'Clean up'],
] as const;

export const SubNav = ({ site }: { site: string }) => <Sheets label="Images" views={views} site={site} />;
