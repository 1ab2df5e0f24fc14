import Papa from 'papaparse';
import { nearest } from '../model/nearest.ts';

export const tableLimits = { bytes: 20_000_000, rows: 200_000, cell: 2000 } as const;

/** How the columns of a table are found: by the words of `fields`, and by `others` that people head such columns with. */
export interface TableShape<F extends string> {
  fields: readonly F[];
  others: Readonly<Record<string, F>>;
  /** Without this column the table cannot be read. */
  must: F;
}
export interface TableRow<F extends string> {
  /** The line it begins at, from 1. */
  line: number;
  cell: (field: F) => string | undefined;
  /** Why the row cannot be read whatever its cells say. */
  wrong?: string;
}
/** A column, and how it was understood: by its header, or by what somebody chose. The first cell with something in it is its sample. */
export interface Column<F extends string> {
  header: string;
  field: F | undefined;
  chosen?: true;
  sample?: string;
}
/** Fields that somebody chose for columns, by their header; an empty one is not to be read. */
export type Choice<F extends string> = Readonly<Record<string, F | ''>>;
export interface Table<F extends string> {
  columns: Column<F>[];
  has: (field: F) => boolean;
  rows: TableRow<F>[];
  fault?: { line: number; message: string };
}

/**
 * The field that a header stands for: the same word whatever its case, blanks, hyphens, and units in brackets; else one people use
 * for it.
 */
export function fieldIn<F extends string>(shape: TableShape<F>, header: string): F | undefined {
  const word = header
    .trim()
    .toLowerCase()
    .replace(/[_\-.:#\s]+/g, ' ')
    .trim();
  const bare = word.replace(/\s*[([{].*?[)\]}]\s*/g, ' ').trim();
  const found = (w: string) => shape.fields.find((f) => f === w) ?? shape.others[w];
  return found(word) ?? found(bare) ?? found(bare.replace(/s$/, '')) ?? found(`${bare}s`);
}

/**
 * A table (RFC 4180; comma, semicolon or tab between the cells), its columns found by their headers. Empty lines are
 * left out; limits on size are kept; a table that cannot be read at all has a `fault` and no rows.
 *
 * @param choice fields that somebody chose for columns whose header says something else
 */
export function readTable<F extends string>(text: string, shape: TableShape<F>, choice: Choice<F> = {}): Table<F> {
  const out: Table<F> = { columns: [], rows: [], has: () => false };
  const fault = (line: number, message: string) => ({ ...out, fault: { line, message } });
  if (text.length > tableLimits.bytes)
    return fault(1, `${text.length} characters; at most ${tableLimits.bytes} are read at once. Split it.`);
  const parsed = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), {
    skipEmptyLines: false,
    delimitersToGuess: [',', ';', '\t'],
  });
  const [head, ...rows] = parsed.data;
  if (!head || head.every((h) => !h.trim()))
    return fault(1, `the first line must name the columns: ${shape.fields.slice(0, 6).join(', ')}`);
  if (rows.length > tableLimits.rows)
    return fault(1, `${rows.length} lines; at most ${tableLimits.rows} are read at once. Split it.`);
  out.columns = head.map((header, i): Column<F> => {
    const own = Object.hasOwn(choice, header) ? choice[header] : undefined;
    const sample = rows
      .find((r) => r[i]?.trim())
      ?.[i]?.trim()
      .slice(0, 60);
    return {
      header,
      field: own === undefined ? fieldIn(shape, header) : own || undefined,
      ...(own === undefined ? {} : { chosen: true }),
      ...(sample ? { sample } : {}),
    };
  });
  const at = new Map<F, number>();
  for (const [i, c] of out.columns.entries()) if (c.field && !at.has(c.field)) at.set(c.field, i);
  out.has = (f) => at.has(f);
  if (!at.has(shape.must)) {
    const near = head.map((h) => nearest(h.trim().toLowerCase(), [...shape.fields])).find((n) => n === shape.must);
    return fault(
      1,
      `no column is headed ${shape.must} (there are ${head
        .map((h) => h.trim() || 'one without a name')
        .join(', ')
        .slice(0, 200)})${near ? '; one is nearly so' : ''}`,
    );
  }
  let line = 1;
  for (const cells of rows) {
    line += 1;
    const own = line;
    line += cells.reduce((n, c) => n + (c.includes('\n') ? c.split('\n').length - 1 : 0), 0);
    if (cells.every((c) => !c.trim())) continue;
    const wrong =
      cells.length > head.length
        ? `the line has ${cells.length} cells and the head ${head.length}: is a comma inside a cell without quotation marks?`
        : cells.some((c) => c.length > tableLimits.cell)
          ? `a cell has more than ${tableLimits.cell} characters`
          : undefined;
    out.rows.push({
      line: own,
      // A quotation mark before a sign keeps spreadsheets from running the cell as a formula; it is not part of it.
      cell: (f) => {
        const i = at.get(f);
        return i === undefined ? undefined : (cells[i]?.trim().replace(/^'(?=[=+\-@])/, '') ?? '');
      },
      ...(wrong ? { wrong } : {}),
    });
  }
  return out;
}

/** A table that spreadsheets open without running anything in it. */
export const writeTable = (fields: readonly string[], data: string[][]): string =>
  `${Papa.unparse({ fields: [...fields], data }, { newline: '\r\n', escapeFormulae: true })}\r\n`;

/** A MAC as people type it: with hyphens, dots or nothing between the digits. */
export function macText(text: string | undefined): string | undefined {
  if (!text) return undefined;
  const hex = text.replace(/[-:.\s]/g, '').toLowerCase();
  return /^[0-9a-f]{12}$/.test(hex) ? (hex.match(/../g) ?? []).join(':') : text;
}
