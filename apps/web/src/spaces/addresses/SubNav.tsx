import { NavLink } from 'react-router';
import { scoped } from '../../state/scope.ts';

const views = [
  ['/addresses', 'Networks'],
  ['/addresses/names', 'Names'],
  ['/addresses/routes', 'Routes'],
] as const;

/** The three sheets of this space. */
export const SubNav = ({ site }: { site: string }) => (
  <nav aria-label="Addresses" className="flex gap-4">
    {views.map(([path, label]) => (
      <NavLink
        key={path}
        to={scoped(path, site)}
        end
        className={({ isActive }) =>
          isActive ? 'border-ink border-b-2 font-semibold text-ink' : 'text-verdigris hover:underline'
        }
      >
        {label}
      </NavLink>
    ))}
  </nav>
);
