/** Numbers of advisory locks: one that tells who lives, one for work that one process at a time does, one for runs that are driven, one for the first start. */
export const locks = { worker: 727, exclusive: 728, driven: 730, start: 727_011 } as const;
