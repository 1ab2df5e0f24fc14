import { type Role, roles } from '@praesidor/core/access';
import { useState } from 'react';
import { type AccountDto, useSnapshot } from '../../api/queries.ts';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useCall } from '../../state/call.ts';

/** What somebody may at single sites, beyond the role of the account; and the teams whose clusters they may change. */
export function RightsDialog({ account, onClose }: { account: AccountDto; onClose: () => void }) {
  const estate = useSnapshot().data?.estate;
  const [teams, setTeams] = useState<ReadonlySet<string>>(new Set(account.teams));
  const [sites, setSites] = useState<Readonly<Record<string, Role>>>(account.sites);
  const save = useCall<object>(
    () => ({ method: 'PATCH', path: `/api/accounts/${account.login}`, body: { sites, teams: [...teams] } }),
    `What ${account.name} may was changed.`,
    [['accounts'], ['acts']],
  );
  const set = (site: string, role: string) => {
    const { [site]: _, ...others } = sites;
    setSites(role ? { ...others, [site]: role as Role } : others);
  };
  const above = roles.slice(roles.indexOf(account.role) + 1);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Teams and sites of ${account.login}`}
      about={`${account.name} is ${account.role} at every site. The clusters of a team are changed by who is in it, and by wardens.`}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={save.isPending} onClick={() => save.mutate(undefined, { onSuccess: onClose })}>
            Save
          </Button>
        </>
      }
      same={save.call}
    >
      <fieldset className="mb-3">
        <legend className="pb-1 font-semibold">Teams</legend>
        {estate?.teams.length ? (
          <div className="grid grid-cols-2 gap-x-4">
            {estate.teams.map((t) => (
              <label key={t.name} className="flex items-baseline gap-2">
                <input
                  type="checkbox"
                  checked={teams.has(t.name)}
                  onChange={(e) =>
                    setTeams((old) => new Set(e.target.checked ? [...old, t.name] : [...old].filter((x) => x !== t.name)))
                  }
                />
                {t.title || t.name}
              </label>
            ))}
          </div>
        ) : (
          <p className="text-ink-2">No team is declared.</p>
        )}
      </fieldset>
      <fieldset>
        <legend className="pb-1 font-semibold">More at single sites</legend>
        {above.length === 0 && <p className="text-ink-2">A warden may everything at every site.</p>}
        <div className="grid max-h-[260px] grid-cols-[1fr_auto] items-center gap-x-4 gap-y-1 overflow-y-auto">
          {above.length > 0 &&
            estate?.sites.map((s) => (
              <label key={s.name} className="contents">
                <span>{s.title}</span>
                <select
                  aria-label={`Role at ${s.name}`}
                  value={sites[s.name] ?? ''}
                  onChange={(e) => set(s.name, e.target.value)}
                  className="border border-rule-2 bg-leaf px-1.5 py-0.5"
                >
                  <option value="">{account.role}, as everywhere</option>
                  {above.map((r) => (
                    <option key={r} value={r}>
                      {r}
                    </option>
                  ))}
                </select>
              </label>
            ))}
        </div>
      </fieldset>
      <Refused error={save.error} />
    </Dialog>
  );
}
