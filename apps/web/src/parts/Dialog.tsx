import { Dialog as R } from 'radix-ui';
import type { ReactNode } from 'react';
import type { Call } from '../api/client.ts';
import { SameAct } from './SameAct.tsx';

/** A leaf laid over the sheet: title, what it is about, content, acts at the foot. */
export function Dialog({
  open,
  onClose,
  title,
  about,
  children,
  acts,
  wide,
  same,
}: {
  open: boolean;
  onClose: () => void;
  title: string;
  about?: ReactNode;
  children: ReactNode;
  acts?: ReactNode;
  wide?: boolean;
  /** The request that it sends, as it would be sent now. */
  same?: (() => Call) | undefined;
}) {
  return (
    <R.Root
      open={open}
      onOpenChange={(o) => {
        if (!o) onClose();
      }}
    >
      <R.Portal>
        <R.Overlay className="fixed inset-0 z-40 bg-veil" />
        <R.Content
          className={`fixed top-[11vh] left-1/2 z-50 flex max-h-[78vh] ${wide ? 'w-[860px]' : 'w-[560px]'} max-w-[94vw] -translate-x-1/2 flex-col border border-rule-2 bg-paper`}
          aria-describedby={undefined}
        >
          <div className="border-rule-2 border-b px-5 pt-4 pb-2.5">
            <R.Title className="text-lg">{title}</R.Title>
            {about && <div className="text-ink-2">{about}</div>}
          </div>
          <div className="min-h-0 flex-1 overflow-auto px-5 py-3">{children}</div>
          {same && <SameAct same={same} />}
          {acts && <div className="flex justify-end gap-2.5 border-rule border-t px-5 py-3">{acts}</div>}
        </R.Content>
      </R.Portal>
    </R.Root>
  );
}
