import { counted } from '@praesidor/core/words';
import { useNavigate } from 'react-router';
import { useSnapshot } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { LinkButton } from '../../parts/Button.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { At } from '../../parts/FindingMarker.tsx';
import { useReport } from '../../state/computed.ts';
import { scoped, useScope } from '../../state/scope.ts';
import { SubNav } from './SubNav.tsx';

/** Charters with blanks, each with the clusters that came from it. */
export function TemplatesSpace() {
  const { site } = useScope();
  const navigate = useNavigate();
  const estate = useSnapshot().data?.estate;
  const findings = (useReport().data?.findings ?? []).filter((f) => f.code.startsWith('TPL'));
  const templates = estate?.templates ?? [];
  const begin = <LinkButton to={scoped('/declare?kind=Template', site)}>New template…</LinkButton>;
  return (
    <Space
      space="templates"
      sheets={<SubNav site={site} />}
      title="Templates"
      facts={counted(templates.length, 'template')}
      findings={findings}
      acts={begin}
    >
      {estate && !templates.length ? (
        <Empty title="No template is declared" act={begin}>
          A template is a charter with blanks: what is the same in many clusters is written once, and the rest is asked.
        </Empty>
      ) : (
        <table className="grid-table mt-2" aria-label="Templates">
          <thead>
            <tr>
              <th>Template</th>
              <th>For</th>
              <th>Version</th>
              <th>Questions</th>
              <th>Clusters</th>
              <th>Of an older version</th>
            </tr>
          </thead>
          <tbody>
            {templates.map((t) => {
              const of = estate?.charters.filter((c) => c.template?.name === t.name) ?? [];
              const older = of.filter((c) => (c.template?.version ?? 0) < t.version);
              const to = scoped(`/clusters/templates/${t.name}`, site);
              return (
                <tr
                  key={t.name}
                  data-row
                  tabIndex={0}
                  className="cursor-pointer"
                  onClick={() => void navigate(to)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') void navigate(to);
                  }}
                >
                  <td className="font-semibold">
                    {t.name}
                    <At kind="Template" name={t.name} />
                  </td>
                  <td className="text-ink-2">{t.title}</td>
                  <td>{t.version}</td>
                  <td>{t.questions.length}</td>
                  <td>{of.map((c) => c.name).join(', ') || <span className="text-ink-3">none</span>}</td>
                  <td>{older.map((c) => `${c.name} ${c.template?.version}`).join(', ')}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </Space>
  );
}
