import { deletionOf } from '@praesidor/core/charter';
import type { Charter, Estate } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useNavigate } from 'react-router';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { scoped, useScope } from '../../state/scope.ts';

/** A charter that has no hosts of its own any more goes, with everything that is kept for it. */
export function DeleteCharterDialog({ charter, estate, onClose }: { charter: Charter; estate: Estate; onClose: () => void }) {
  const { site } = useScope();
  const navigate = useNavigate();
  const deletion = deletionOf(estate, charter);
  const refused = 'refused' in deletion;
  return (
    <EditsDialog
      title={`Delete ${charter.name}`}
      about="Builds, proofs and the record of it stay."
      edits={refused ? [] : deletion.edits}
      why={`${charter.name} deleted`}
      blocked={refused ? `${deletion.refused} ${deletion.remedy}` : undefined}
      label="Delete"
      done={() => {
        // Its page is gone, and this dialog with it.
        void navigate(scoped('/clusters', site));
        return `${charter.name} is deleted.`;
      }}
      send={{ method: 'DELETE', path: `/api/charters/${charter.name}` }}
      folded
      onClose={onClose}
    >
      {!refused && (
        <ul>
          {what(charter.name, estate).map((line) => (
            <li key={line} className="py-0.5">
              {line}
            </li>
          ))}
        </ul>
      )}
    </EditsDialog>
  );
}

/** What becomes of what is kept for it, a line for each sort. */
function what(name: string, estate: Estate): string[] {
  const hosts = estate.hosts.filter((h) => h.held?.charter === name).map((h) => h.name);
  const own = estate.reservations.filter((r) => r.owner.kind === 'charter' && r.owner.name === name).length;
  const precinct = estate.networks.find((n) => n.precinct === name);
  return [
    'The charter goes, with what it declares.',
    ...(hosts.length ? [`${counted(hosts.length, 'host')} can be chosen for others again: ${hosts.join(', ')}.`] : []),
    ...(own ? [`${counted(own, 'address is', 'addresses are')} released.`] : []),
    ...(precinct ? [`Its precinct is given back: ${precinct.prefix}${precinct.vlan ? `, VLAN ${precinct.vlan}` : ''}.`] : []),
  ];
}
