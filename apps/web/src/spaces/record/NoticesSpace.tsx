import type { NoticeState } from '@praesidor/contract';
import { wayOf } from '@praesidor/core/notices';
import { counted } from '@praesidor/core/words';
import { useState } from 'react';
import { useNotices } from '../../api/queries.ts';
import { Space } from '../../frame/Space.tsx';
import { Button } from '../../parts/Button.tsx';
import { Dialog } from '../../parts/Dialog.tsx';
import { Empty } from '../../parts/Empty.tsx';
import { Mark } from '../../parts/Mark.tsx';
import { Refused } from '../../parts/Refused.tsx';
import { When } from '../../parts/When.tsx';
import { useCall } from '../../state/call.ts';
import { useMay } from '../../state/may.ts';
import { NoticeDialog } from './NoticeDialog.tsx';
import { abouts } from './notice-words.ts';
import { PeopleNav } from './PeopleNav.tsx';

/** Whom this installation tells of what, and how that goes. */
export function NoticesSpace() {
  const leave = useMay();
  const may = leave.may('notices.manage');
  const notices = useNotices(may, true);
  const [putting, setPutting] = useState<NoticeState | 'new'>();
  const [removing, setRemoving] = useState<NoticeState>();
  const test = useCall<object, string>(
    (name: string) => ({ method: 'POST', path: `/api/notices/${name}/test` }),
    (_, name) => `${name} was told of a test.`,
    [['notices']],
  );
  const list = notices.data ?? [];
  const failing = list.filter((n) => n.failing).length;
  return (
    <Space
      space="notices"
      title="Notices"
      facts={[counted(list.length, 'notice'), ...(failing ? [`${failing} not delivered`] : [])].join(' · ')}
      findings={[]}
      acts={
        <Button filled data-key="a" disabled={!may} title={leave.why('notices.manage')} onClick={() => setPutting('new')}>
          Add…
        </Button>
      }
    >
      <PeopleNav />
      {list.length === 0 ? (
        <Empty title={may ? 'Nobody is told of anything' : 'Who is told of what, a warden sees'}>
          What fails at night, what has ended well and what is not as it was proved any more is told by webhook, by mail or by
          syslog.
        </Empty>
      ) : (
        <table className="grid-table mt-2" aria-label="Notices">
          <thead>
            <tr>
              <th>Name</th>
              <th>Of</th>
              <th>To</th>
              <th>State</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.map((n) => (
              <tr key={n.doc.name} data-row tabIndex={-1}>
                <td className="font-semibold">{n.doc.name}</td>
                <td className="max-w-[220px] whitespace-normal!">
                  {n.doc.about.map((a) => abouts[a]).join(', ')}
                  {n.doc.sites?.length ? <span className="text-ink-2"> of {n.doc.sites.join(', ')}</span> : null}
                </td>
                <td className="mono max-w-[260px] whitespace-normal!">{toOf(n)}</td>
                <td className="max-w-[260px] whitespace-normal!">
                  <Delivery n={n} />
                </td>
                <td className="whitespace-nowrap text-right">
                  <Act label={`Test ${n.doc.name}`} text="Test" onClick={() => test.mutate(n.doc.name)} />
                  <Act label={`Change ${n.doc.name}`} text="Change…" onClick={() => setPutting(n)} />
                  <Act label={`Remove ${n.doc.name}`} text="Remove…" onClick={() => setRemoving(n)} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {putting && <NoticeDialog notice={putting === 'new' ? undefined : putting.doc} onClose={() => setPutting(undefined)} />}
      {removing && <Remove name={removing.doc.name} onClose={() => setRemoving(undefined)} />}
    </Space>
  );
}

const toOf = ({ doc }: NoticeState): string => {
  const { host, port } = wayOf(doc);
  if (doc.webhook) return doc.webhook.url;
  return doc.mail
    ? `${doc.mail.to.join(', ')} by ${host}:${port}`
    : `${host}:${port}, syslog over ${doc.syslog?.over.toUpperCase()}`;
};

function Delivery({ n }: { n: NoticeState }) {
  return (
    <>
      {n.failing ? (
        <span className="text-brick">
          <Mark kind="failing" /> not delivered
          {n.since && (
            <>
              {' '}
              since <When at={String(n.since)} />
            </>
          )}
          : {n.failing}
          {n.waiting > 0 && `; ${n.waiting} waiting`}
        </span>
      ) : n.toldAt ? (
        <>
          <Mark kind="done" /> told <When at={String(n.toldAt)} />
        </>
      ) : (
        <span className="text-ink-2">nothing to tell yet</span>
      )}
      {n.skipped > 0 && <span className="text-ink-2">; {n.skipped} were a day old, and were not told</span>}
    </>
  );
}

function Act({ label, text, onClick }: { label: string; text: string; onClick: () => void }) {
  return (
    <button type="button" aria-label={label} className="ml-3 font-semibold text-verdigris hover:underline" onClick={onClick}>
      {text}
    </button>
  );
}

function Remove({ name, onClose }: { name: string; onClose: () => void }) {
  const remove = useCall<object>(() => ({ method: 'DELETE', path: `/api/notices/${name}` }), `${name} is told no longer.`, [
    ['notices'],
  ]);
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Remove ${name}`}
      about="It is told of nothing any more."
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button filled disabled={remove.isPending} onClick={() => remove.mutate(undefined, { onSuccess: onClose })}>
            Remove
          </Button>
        </>
      }
      same={remove.call}
    >
      <Refused error={remove.error} />
    </Dialog>
  );
}
