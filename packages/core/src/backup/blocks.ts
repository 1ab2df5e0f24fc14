/** Bytes of a block in which volumes are read and kept; the last one of a volume is shorter. */
export const blockBytes = 4_194_304;
