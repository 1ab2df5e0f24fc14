import { SubNav as Sheets } from '../../parts/SubNav.tsx';

const views = [
  ['/estate', 'Sites'],
  ['/estate/changed', 'What changed'],
  ['/estate/by-dependency', 'By dependency'],
  ['/estate/side-by-side', 'Side by side'],
  ['/estate/book', 'Site book'],
  ['/estate/new-sites', 'New sites'],
  ['/estate/installations', 'Installations'],
] as const;

export const SubNav = ({ site }: { site: string }) => <Sheets label="Estate" views={views} site={site} />;
