import { stateText } from '@praesidor/core/schedule';
import { useNavigate } from 'react-router';
import { useBuilds } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { span } from '../../parts/time.ts';
import { When } from '../../parts/When.tsx';
import { scoped, useScope } from '../../state/scope.ts';

export function BuildsSpace() {
  const builds = useBuilds();
  const navigate = useNavigate();
  const { site } = useScope();
  return (
    <Space space="builds" title="Builds" facts={`${builds.data?.length ?? 0} so far`} findings={[]}>
      {builds.data?.length === 0 ? (
        <Empty title="Nothing has been built yet">
          A charter that nothing stops can be built from its sheet; what is done to a cluster later stands here too.
        </Empty>
      ) : (
        <table className="grid-table mt-2" aria-label="Builds">
          <thead>
            <tr>
              <th>Cluster</th>
              <th>No.</th>
              <th>What</th>
              <th>Began</th>
              <th>By</th>
              <th>Steps</th>
              <th>Took</th>
              <th>State</th>
            </tr>
          </thead>
          <tbody>
            {builds.data?.map((b) => {
              const done = Object.values(b.status.steps).filter((s) => s.state === 'done').length;
              const broken = Object.entries(b.status.steps).find(([, s]) => s.state === 'failed');
              const to = scoped(`/builds/${b.charter}/${b.number}`, site);
              return (
                <tr
                  key={`${b.charter}${b.number}`}
                  data-row
                  tabIndex={0}
                  className="cursor-pointer"
                  onClick={() => void navigate(to)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') void navigate(to);
                  }}
                >
                  <td className="font-semibold">{b.charter}</td>
                  <td>{b.number}</td>
                  <td>{b.title}</td>
                  <td className="mono">
                    <When at={b.createdAt} as="both" />
                  </td>
                  <td>{b.createdBy}</td>
                  <td>
                    {done} of {b.steps.length}
                  </td>
                  <td>{b.status.begun && b.status.ended ? span(Date.parse(b.status.ended) - Date.parse(b.status.begun)) : ''}</td>
                  <td>
                    <Mark kind={b.status.state === 'done' ? 'done' : broken ? 'failing' : 'half'} /> {stateText[b.status.state]}
                    {broken && (
                      <span className="text-brick">
                        {b.status.state === 'failed' ? '' : ', failed'} at {broken[0]}
                      </span>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </Space>
  );
}
