import { SubNav } from '../../parts/SubNav.tsx';
import { useScope } from '../../state/scope.ts';

const views = [
  ['/people', 'People'],
  ['/people/teams', 'Teams'],
  ['/record', 'Record'],
  ['/notices', 'Notices'],
] as const;

export const PeopleNav = () => <SubNav label="People, teams, record and notices" views={views} site={useScope().site} />;
