import { NavLink } from 'react-router';
import { scoped } from '../state/scope.ts';

/** The sheets of a space. */
export const SubNav = ({
  label,
  views,
  site,
}: {
  label: string;
  views: readonly (readonly [string, string])[];
  site: string;
}) => (
  <nav aria-label={label} className="flex gap-4">
    {views.map(([path, name]) => (
      <NavLink
        key={path}
        to={scoped(path, site)}
        end
        className={({ isActive }) =>
          isActive ? 'border-ink border-b-2 font-semibold text-ink' : 'text-verdigris hover:underline'
        }
      >
        {name}
      </NavLink>
    ))}
  </nav>
);
