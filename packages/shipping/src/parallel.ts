import { ProtocolError } from '@praesidor/protocols/dial';

/** A few at a time over distinct work; the first fault ends it, when those under way have ended. */
export async function inParallel<T>(
  list: readonly T[],
  lanes: number,
  signal: AbortSignal | undefined,
  act: (item: T) => Promise<void>,
): Promise<void> {
  let next = 0;
  let fault: unknown;
  const worker = async () => {
    for (let i = next++; i < list.length && fault === undefined; i = next++) {
      if (signal?.aborted) throw new ProtocolError('cancelled', 'shipment', 'stopped');
      await act(list[i] as T);
    }
  };
  await Promise.all(
    Array.from({ length: lanes }, () =>
      worker().catch((e: unknown) => {
        fault ??= e;
      }),
    ),
  );
  if (fault !== undefined) throw fault;
}
