export interface Options {
  estate: string;
  charter?: string;
  json?: boolean;
  out?: string;
  now?: string;
}
/** Writes a command's answer and says how it went: 0 nothing stops, 1 something does, 2 unusable input. */
export type CommandOf = (options: Options, write: (text: string) => void) => number;

/** What a command with arguments is given: its words, and its options as they were typed. */
export interface Asked {
  words: string[];
  options: Record<string, string | boolean | undefined>;
}
/** A command below another, such as `address next`: what it takes, and what it does. */
export interface SubCommand {
  name: string;
  about: string;
  /** Arguments as they are shown: `<prefix>` must be there, `[file…]` may be there any number of times. */
  words?: string;
  /** Options beside --json, each with what it is for. */
  options?: [flags: string, about: string][];
  /** Needs the estate's folder. */
  estate?: boolean;
  run: (asked: Asked, write: (text: string) => void) => number | Promise<number>;
}
export interface CommandGroup {
  name: string;
  about: string;
  commands: SubCommand[];
}

/** What a command found: for programs as JSON, for people as lines. */
export const tell = (asked: Asked, write: (t: string) => void, json: unknown, lines: readonly string[]): void =>
  write(asked.options.json ? `${JSON.stringify(json, null, 2)}\n` : lines.length ? `${lines.join('\n')}\n` : '');
