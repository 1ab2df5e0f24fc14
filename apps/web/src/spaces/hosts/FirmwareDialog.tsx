import { counted } from '@praesidor/core/words';
import { firmwarePlan } from '@praesidor/core/hosts';
import type { Estate, Host } from '@praesidor/core/model';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { span } from '../../parts/time.ts';
import { useBeginWork } from './works.ts';

/** What would be written to which part of which host, in which order, with how many restarts; then it is carried out. */
export function FirmwareDialog({ hosts, estate, onClose }: { hosts: readonly Host[]; estate: Estate; onClose: () => void }) {
  const work = useBeginWork();
  const plans = hosts.map((h) => firmwarePlan(h, estate.baselines));
  const ready = plans.filter((p) => !p.refused);
  const reboots = ready.reduce((n, p) => n + p.reboots, 0);
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`Firmware of ${hosts.length === 1 ? hosts[0]?.name : `${counted(hosts.length, 'host')}`}`}
      about={`To the baseline of each model, part by part. ${counted(reboots, 'restart')}; about ${span(Math.max(0, ...ready.map((p) => p.minutes)) * 60_000)}, four hosts side by side.`}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={!ready.length || work.isPending}
            onClick={() => work.mutate({ kind: 'firmware', hosts: ready.map((p) => p.host) }, { onSuccess: onClose })}
          >
            Write {ready.length === 1 ? ready[0]?.host : `${counted(ready.length, 'host')}`}
          </Button>
        </>
      }
      same={() => work.call({ kind: 'firmware', hosts: ready.map((p) => p.host) })}
    >
      <table className="grid-table" aria-label="Firmware plan">
        <thead>
          <tr>
            <th>Host</th>
            <th>Part</th>
            <th>Now</th>
            <th>After</th>
            <th>Restart</th>
            <th>Takes</th>
          </tr>
        </thead>
        <tbody>
          {plans.flatMap((p) =>
            p.steps.map((s, i) => (
              <tr key={`${p.host} ${s.part}`}>
                <td className="font-semibold">{i ? '' : p.host}</td>
                <td>{s.part}</td>
                <td className="mono">{s.from}</td>
                <td className="mono follows">{s.to}</td>
                <td>{s.reboot ? 'after it' : '—'}</td>
                <td>{p.refused ? <span className="text-brick">{p.refused}</span> : `${s.minutes} min`}</td>
              </tr>
            )),
          )}
        </tbody>
      </table>
    </Dialog>
  );
}
