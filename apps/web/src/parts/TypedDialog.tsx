import { useState } from 'react';
import type { Call } from '../api/client.ts';
import { Button } from './Button.tsx';
import { Dialog } from './Dialog.tsx';
import { Field, Input } from './Fields.tsx';

/** An act that cannot be undone, confirmed by typing what it is done to. */
export function TypedDialog({
  title,
  about,
  words,
  act,
  onDone,
  onClose,
  same,
}: {
  title: string;
  about: string;
  words: string;
  act: string;
  onDone: () => void;
  onClose: () => void;
  /** The request that it sends. */
  same?: (() => Call) | undefined;
}) {
  const [typed, setTyped] = useState('');
  return (
    <Dialog
      open
      onClose={onClose}
      title={title}
      about={about}
      same={same}
      acts={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            filled
            disabled={typed.trim() !== words}
            onClick={() => {
              onDone();
              onClose();
            }}
          >
            {act}
          </Button>
        </>
      }
    >
      <p className="pb-2">
        Type <b className="mono whitespace-normal">{words}</b>
      </p>
      <Field label="Names">
        {(id) => <Input id={id} autoFocus value={typed} onChange={(e) => setTyped(e.target.value)} className="mono" />}
      </Field>
    </Dialog>
  );
}
