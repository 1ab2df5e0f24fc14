import { SubNav } from '../../parts/SubNav.tsx';
import { useScope } from '../../state/scope.ts';

const views = [
  ['/people', 'People'],
  ['/record', 'Record'],
] as const;

export const PeopleNav = () => <SubNav label="People and record" views={views} site={useScope().site} />;
