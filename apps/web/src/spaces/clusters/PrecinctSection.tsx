import { carvePrecinct, type Precinct, precinctOf, precinctParents } from '@praesidor/core/reach';
import type { Estate } from '@praesidor/core/model';
import { useMemo, useState } from 'react';
import { Link } from 'react-router';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Button } from '../../parts/Button.tsx';
import { Field } from '../../parts/Fields.tsx';
import { Own } from '../../parts/Own.tsx';
import { useMay } from '../../state/may.ts';
import { scoped } from '../../state/scope.ts';

/** The network of its own that a cluster has, with what goes with it; or the way to one. */
export function PrecinctSection({ name, site, estate }: { name: string; site: string; estate: Estate }) {
  const leave = useMay();
  const [carving, setCarving] = useState(false);
  const charter = estate.charters.find((c) => c.name === name);
  if (!charter) return null;
  const has = precinctOf(estate, charter);
  const parents = precinctParents(estate, site);
  return (
    <section aria-label="Precinct" className="pt-5">
      <div className="flex items-baseline gap-3 pb-1">
        <h2 className="text-lg">
          <Own>Precinct</Own>
        </h2>
        {!has && parents.length > 0 && (
          <Button disabled={!leave.may('charters.save')} title={leave.why('charters.save')} onClick={() => setCarving(true)}>
            Carve a precinct…
          </Button>
        )}
      </div>
      {has ? (
        <Facts of={has} site={site} />
      ) : (
        <p className="text-ink-2">
          Its machines stand in <span className="mono">{charter.machineNetwork}</span>, where others may stand too.
          {!parents.length && ' No network of the site has precincts.'}
        </p>
      )}
      {carving && (
        <CarveDialog name={name} estate={estate} parents={parents.map((p) => p.name)} onClose={() => setCarving(false)} />
      )}
    </section>
  );
}

function Facts({ of, site }: { of: Precinct; site: string }) {
  const rows: [string, React.ReactNode, string][] = [
    [
      'Prefix',
      <Link key="n" className="hover:underline" to={scoped(`/addresses?network=${of.network}`, site)}>
        {of.prefix}
      </Link>,
      `${of.vlan ? `VLAN ${of.vlan}, ` : ''}carved out of ${of.parent}`,
    ],
    ['Gateway', of.gateway?.address ?? '—', of.gateway ? `at ${of.gateway.name}` : 'nothing routes out of it'],
    [
      'Outbound',
      of.outbound.map((o) => o.address).join(', ') || '—',
      of.outbound.length
        ? `what it sends leaves with ${of.outbound.length === 1 ? 'it' : 'them'}, in ${of.outbound.map((o) => o.network).join(' and ')}`
        : 'what it sends leaves with the addresses of its nodes',
    ],
    ['Inbound', of.inbound ?? '—', 'what it publishes'],
    ['Pods', of.pods.range, `a /${of.pods.perNode} for each node`],
  ];
  return (
    <table className="grid-table" aria-label="Precinct">
      <tbody>
        {rows.map(([label, value, about]) => (
          <tr key={label}>
            <th scope="row" className="text-left font-normal text-ink-2">
              {label}
            </th>
            <td className="mono font-semibold">{value}</td>
            <td className="text-ink-2">{about}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function CarveDialog({
  name,
  estate,
  parents,
  onClose,
}: {
  name: string;
  estate: Estate;
  parents: readonly string[];
  onClose: () => void;
}) {
  const [from, setFrom] = useState(parents[0] ?? '');
  const carved = useMemo(() => {
    const charter = estate.charters.find((c) => c.name === name);
    return charter ? carvePrecinct(estate, charter, from) : { refused: `There is no charter ${name}.`, remedy: '' };
  }, [estate, name, from]);
  const refused = 'refused' in carved;
  const { site = '' } = estate.networks.find((n) => n.name === from) ?? {};
  return (
    <EditsDialog
      title={`Carve a precinct for ${name}`}
      about="Its addresses are reserved anew, in a network of its own."
      edits={refused ? [] : carved.edits}
      why={`precinct of ${name}`}
      blocked={refused ? `${carved.refused} ${carved.remedy}` : undefined}
      label="Carve"
      folded
      done={`${name} has a precinct.`}
      send={{ method: 'POST', path: `/api/charters/${name}/precinct`, body: { from } }}
      onClose={onClose}
    >
      {parents.length > 1 && (
        <Field label="Out of">
          {(id) => (
            <select
              id={id}
              value={from}
              onChange={(e) => setFrom(e.target.value)}
              className="border border-rule-2 bg-leaf px-2 py-1"
            >
              {parents.map((p) => (
                <option key={p}>{p}</option>
              ))}
            </select>
          )}
        </Field>
      )}
      {!refused && (
        <div className="pb-3">
          <Facts of={carved.precinct} site={site} />
        </div>
      )}
    </EditsDialog>
  );
}
