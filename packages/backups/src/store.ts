/** One thing that lies in a store. */
export interface Stored {
  name: string;
  bytes: number;
  /** When it came there, by the store's own clock; milliseconds since 1970. */
  at: number;
}

/**
 * Where backups lie: an object store, or a folder. Names are parts with `/` between them. Whoever lists or reads after a write has ended sees what was written.
 * Every method throws ProtocolError where the store cannot be reached, refuses, or is full.
 */
export interface BlockStore {
  /** How it is called in what is said of it. */
  readonly title: string;
  /** Writes the whole of it or nothing. @param unless only where nothing of that name lies there. @returns whether it was written */
  put(name: string, bytes: Buffer, signal?: AbortSignal, unless?: 'there'): Promise<boolean>;
  /** @throws ProtocolError `missing` */
  get(name: string, signal?: AbortSignal): Promise<Buffer>;
  has(name: string, signal?: AbortSignal): Promise<boolean>;
  /** Everything whose name begins so. */
  list(prefix: string, signal?: AbortSignal): AsyncIterable<Stored>;
  /** Takes away; what is not there is no fault. */
  remove(names: readonly string[], signal?: AbortSignal): Promise<void>;
}
