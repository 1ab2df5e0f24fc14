export interface Options {
  estate: string;
  charter?: string;
  json?: boolean;
  out?: string;
  now?: string;
}
/** Writes a command's answer and says how it went: 0 nothing stops, 1 something does, 2 unusable input. */
export type CommandOf = (options: Options, write: (text: string) => void) => number;
