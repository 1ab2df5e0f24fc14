import { SubNav } from '../../parts/SubNav.tsx';
import { useScope } from '../../state/scope.ts';

const views = [
  ['/people', 'People'],
  ['/people/teams', 'Teams'],
  ['/people/sign-in', 'Sign-in'],
  ['/record', 'Record'],
  ['/notices', 'Notices'],
] as const;

export const PeopleNav = () => <SubNav label="People, teams, sign-in, record and notices" views={views} site={useScope().site} />;
