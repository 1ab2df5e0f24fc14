import { AsyncLocalStorage } from 'node:async_hooks';

/** From where something is asked, and by which token where it is one: goes into the record with the act. */
export interface Asking {
  address: string;
  token?: string;
}
const store = new AsyncLocalStorage<Asking>();

/** Whose request is being answered; undefined: nobody asked, as in a job. */
export const asking = (): Asking | undefined => store.getStore();
/** Does something as part of a request, which need not be the one that is being answered. */
export const within = <T>(of: Asking | undefined, act: () => T): T => (of ? store.run(of, act) : act());
