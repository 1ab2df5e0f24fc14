import { DropdownMenu } from 'radix-ui';
import { Link, NavLink, useNavigate } from 'react-router';
import { useQueryClient } from '@tanstack/react-query';
import { api } from '../api/client.ts';
import { type Me, useProving, useSnapshot } from '../api/queries.ts';
import { useReport } from '../state/computed.ts';
import { scoped, useScope } from '../state/scope.ts';
import { type Theme, useView } from '../state/view.ts';
import { Fort } from './Fort.tsx';
import { tabs } from './tabs.ts';

const areas: Record<string, string[]> = {
  '/hosts': ['HST'],
  '/addresses': ['NET', 'ADR', 'DNS'],
  '/images': ['IMG'],
  '/clusters': ['CHT', 'SVC', 'STO'],
};

export function TopBar({ me }: { me: Me }) {
  const { site, setSite, inScope } = useScope();
  const report = useReport();
  const snapshot = useSnapshot();
  const proving = useProving();
  const openGoTo = useView((s) => s.openGoTo);
  const sites = snapshot.data?.estate.sites ?? [];
  const count = (path: string) =>
    report.data?.findings.filter((f) => areas[path]?.includes(f.code.slice(0, 3)) && f.severity !== 'note' && inScope(f.site))
      .length ?? 0;
  return (
    <header className="flex items-end bg-bar pr-3.5 text-bar-text">
      <Link
        to={scoped('/estate', site)}
        className="mr-4 flex h-11 items-center gap-2 pl-3.5 font-semibold font-serif text-[16px]"
      >
        <Fort />
        Praesidor
      </Link>
      <nav aria-label="Spaces" className="flex h-full items-end gap-0.5">
        {tabs.map((t) => {
          const n = count(t.path);
          return (
            <NavLink
              key={t.path}
              to={scoped(t.path, site)}
              className={({ isActive }) =>
                `flex items-center rounded-t-[5px] px-3 ${isActive ? 'h-[33px] bg-paper font-semibold text-ink' : 'h-[30px] text-bar-2 hover:text-bar-text'}`
              }
            >
              {({ isActive }) => (
                <>
                  {t.label}
                  {n > 0 && (
                    <sup
                      className={`ml-1 font-semibold text-[10px] ${isActive ? 'text-brick' : 'text-bar-text'}`}
                      title={`${n} findings`}
                    >
                      {n}
                    </sup>
                  )}
                </>
              )}
            </NavLink>
          );
        })}
      </nav>
      <div className="ml-auto flex h-11 items-center gap-3.5 text-bar-2 text-sm">
        <label className="flex items-center gap-1">
          <span className="sr-only">Site scope</span>
          <select
            aria-label="Site scope"
            value={site}
            onChange={(e) => setSite(e.target.value)}
            className="max-w-[128px] cursor-pointer bg-bar text-bar-text"
          >
            <option value="">All sites</option>
            {sites.map((s) => (
              <option key={s.name} value={s.name}>
                {s.title}
              </option>
            ))}
          </select>
        </label>
        <button
          type="button"
          onClick={() => openGoTo(true)}
          className="flex h-6.5 w-[158px] items-center justify-between rounded-[3px] border border-rule-2/40 px-2.5 text-bar-2"
        >
          Go to, or do… <kbd className="rounded-[2px] border border-rule-2/50 px-1 font-mono text-[10px]">/</kbd>
        </button>
        <NavLink to={scoped('/keyring', site)} className="hover:text-bar-text">
          Keyring
        </NavLink>
        {proving.data?.here && (
          <NavLink to={scoped('/proving', site)} className="whitespace-nowrap hover:text-bar-text">
            Proving ground
          </NavLink>
        )}
        <Person me={me} />
      </div>
    </header>
  );
}

function Person({ me }: { me: Me }) {
  const { theme, setTheme } = useView();
  const navigate = useNavigate();
  const client = useQueryClient();
  const item = 'flex cursor-pointer items-center gap-2 px-3 py-1.5 outline-none data-highlighted:bg-leaf';
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="rounded-[3px] bg-rule-2/30 px-1.5 py-0.5 font-semibold text-[11px] text-bar-text"
        aria-label={`${me.name}, ${me.role}`}
      >
        {me.name
          .split(' ')
          .map((w) => w[0])
          .join('')}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={6}
          className="z-50 min-w-[210px] border border-rule-2 bg-paper py-1 text-ink"
        >
          <div className="border-rule border-b px-3 py-1.5">
            <div className="font-semibold">{me.name}</div>
            <div className="text-ink-3">
              {me.login}, {me.role}
            </div>
          </div>
          {(['system', 'light', 'night'] as Theme[]).map((t) => (
            <DropdownMenu.Item key={t} className={item} onSelect={() => setTheme(t)}>
              <span className="w-3">{theme === t ? '▪' : ''}</span>
              {{ system: 'As the system has it', light: 'Paper', night: 'Night, for control rooms' }[t]}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 border-rule border-t" />
          <DropdownMenu.Item className={item} onSelect={() => void navigate('/people')}>
            People, record, notices
          </DropdownMenu.Item>
          <DropdownMenu.Item
            className={item}
            onSelect={() =>
              void api('POST', '/api/sign-out').finally(() => {
                client.clear();
                void navigate('/sign-in');
              })
            }
          >
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
