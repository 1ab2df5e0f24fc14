import { type ClusterRole, clusterRoleNames, clusterRoles, usualHours } from '@praesidor/core/access';
import { useState } from 'react';
import { Button } from '../../parts/Button.tsx';
import { Copy } from '../../parts/Copy.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Field, Input } from '../../parts/Fields.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { useMay } from '../../state/may.ts';
import { useDownload } from '../../state/download.ts';

const ways = { planned: 'the API as it is planned', here: 'the way this server reaches it' } as const;
const box = 'w-full border border-rule-2 bg-leaf px-2 py-1';

/** A kubeconfig of one's own: what it may, and until when. */
export function KubeconfigDialog({ name, onClose }: { name: string; onClose: () => void }) {
  const leave = useMay();
  const [role, setRole] = useState<ClusterRole>('view');
  const [hours, setHours] = useState(String(usualHours));
  const [via, setVia] = useState<keyof typeof ways>('planned');
  const { hours: most, help } = clusterRoles[role];
  const n = Number(hours);
  const wrong = !Number.isInteger(n) || n < 1 || n > most ? `1 to ${most} hours` : undefined;
  const query = new URLSearchParams({ role, hours: String(n), via });
  const take = useDownload(`/api/charters/${name}/kubeconfig?${query}`, `${name}-${role}.kubeconfig`);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Kubeconfig for ${name}`}
      about="A client certificate in your name. It cannot be called back before its end: take what you need, for as long as you need it."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={wrong !== undefined || take.isPending}
            onClick={() => take.mutate(undefined, { onSuccess: onClose })}
          >
            Download
          </Button>
        </>
      }
    >
      <Field label="Role" hint={help}>
        {(id) => (
          <select id={id} className={box} value={role} onChange={(e) => setRole(e.target.value as ClusterRole)}>
            {clusterRoleNames.map((r) => (
              <option key={r} value={r} disabled={!leave.may(clusterRoles[r].act)}>
                {clusterRoles[r].label}
                {leave.may(clusterRoles[r].act) ? '' : `: ${leave.why(clusterRoles[r].act)}`}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Hours" wrong={wrong}>
        {(id) => <Input id={id} type="number" min={1} max={most} value={hours} onChange={(e) => setHours(e.target.value)} />}
      </Field>
      <Field label="API address">
        {(id) => (
          <select id={id} className={box} value={via} onChange={(e) => setVia(e.target.value as keyof typeof ways)}>
            {Object.entries(ways).map(([way, label]) => (
              <option key={way} value={way}>
                {label}
              </option>
            ))}
          </select>
        )}
      </Field>
      <p className="text-ink-2 text-sm">On the command line</p>
      <Copy
        text={`npx praesidor kubeconfig ${name} --role ${role} --hours ${n} --via ${via} > ${name}.kubeconfig`}
        className="mono block whitespace-normal! text-sm"
      />
      <Refused error={take.error} />
    </Dialog>
  );
}
