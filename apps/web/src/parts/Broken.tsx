import { useRouteError } from 'react-router';
import { Button } from './Button.tsx';

export function Broken() {
  const e = useRouteError() as { message?: string; status?: number };
  return (
    <main className="mx-auto mt-24 max-w-lg">
      <h1 className="text-xl">{e.status === 404 ? 'There is no such page' : 'This page has broken'}</h1>
      <p className="my-3 text-ink-2">
        {e.status === 404
          ? 'Nothing stands at this address. The link may be from an older version.'
          : `${e.message ?? 'Something went wrong'}. What you saved is safe: it is on the server.`}
      </p>
      <Button filled onClick={() => location.assign('/estate')}>
        To the estate
      </Button>
    </main>
  );
}
