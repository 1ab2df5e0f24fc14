import { answered, catalogue, installs, type Offer } from '@praesidor/core/applications';
import type { Addon, Charter } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { useSnapshot } from '../../api/queries.ts';
import EditsDialog from '../../frame/EditsDialog.tsx';
import { Asked, optionsOf } from '../../parts/Asked.tsx';

/** An add-on of the catalogue is chosen and its questions are answered; of one that is installed, they are answered anew. */
export function InstallDialog({ charter, of, onClose }: { charter: Charter; of?: Addon; onClose: () => void }) {
  const estate = useSnapshot().data?.estate;
  const [chosen, setChosen] = useState(of?.name ?? '');
  const [answers, setAnswers] = useState<ReadonlyMap<string, string>>(
    () => new Map((charter.answers ?? []).filter((a) => a.addon === of?.name).map((a) => [a.question, a.answer])),
  );
  const offers = estate ? catalogue(estate, charter).filter((o) => !o.has) : [];
  const addon = of ?? offers.find((o) => o.addon.name === chosen)?.addon;
  const asked = addon ? answered(addon, answers) : [];
  const lacking = asked.filter((a) => a.fault).length;
  return (
    <EditsDialog
      title={of ? `Answers of ${of.title} on ${charter.name}` : `Install on ${charter.name}`}
      about={
        of
          ? 'Its programs are started again with them, with the next change.'
          : 'It is put into the charter. The next change of the cluster installs it, when its images are at the mirror.'
      }
      edits={addon && !lacking ? installs(charter, addon, answers) : []}
      why={of ? `answers of ${of.name} on ${charter.name}` : `install ${addon?.name ?? ''} on ${charter.name}`}
      blocked={lacking ? `${counted(lacking, 'answer')} ${lacking === 1 ? 'is' : 'are'} missing or wrong.` : undefined}
      label={of ? 'Save answers' : 'Install'}
      done={`${addon?.title}: in the charter of ${charter.name}; it comes with the next change.`}
      folded
      onClose={onClose}
    >
      {!of && (
        <Catalogue
          offers={offers}
          chosen={chosen}
          onChoose={(name) => {
            setChosen(name);
            setAnswers(new Map());
          }}
        />
      )}
      {asked.length > 0 && (
        <table className="grid-table mt-2" aria-label="Questions">
          <thead>
            <tr>
              <th>Asked</th>
              <th>Answer</th>
            </tr>
          </thead>
          <tbody>
            {asked.map((a) => (
              <Asked
                key={a.question.key}
                of={a}
                set={answers.get(a.question.key)}
                options={optionsOf(a.question, estate, charter.site)}
                onAnswer={(text) => setAnswers((now) => new Map(now).set(a.question.key, text))}
              />
            ))}
          </tbody>
        </table>
      )}
    </EditsDialog>
  );
}

function Catalogue({ offers, chosen, onChoose }: { offers: readonly Offer[]; chosen: string; onChoose: (name: string) => void }) {
  if (!offers.length)
    return (
      <p className="text-ink-2">
        The catalogue has no other add-on. Those that a registry publishes are taken under Images; manifests of your own are
        installed beside.
      </p>
    );
  return (
    <table className="grid-table" aria-label="Catalogue">
      <thead>
        <tr>
          <th>Add-on</th>
          <th>Version</th>
          <th>Images</th>
          <th>Questions</th>
        </tr>
      </thead>
      <tbody>
        {offers.map(({ addon: a, against }) => (
          <tr key={a.name} className={a.name === chosen ? 'bg-verdigris-tint' : ''}>
            <td className="whitespace-normal!">
              <label className={`flex items-start gap-2 ${against ? 'text-ink-3' : 'cursor-pointer'}`}>
                <input
                  type="radio"
                  className="mt-1 accent-verdigris"
                  name="add-on"
                  value={a.name}
                  disabled={against !== undefined}
                  checked={a.name === chosen}
                  onChange={() => onChoose(a.name)}
                />
                <span>
                  <span className="font-semibold">{a.title}</span> <span className="text-ink-2">{a.name}</span>
                  {against && <span className="block text-sm">{against}</span>}
                </span>
              </label>
            </td>
            <td className="mono">{a.version}</td>
            <td>{a.components.length}</td>
            <td>{a.questions?.length ?? 0}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
