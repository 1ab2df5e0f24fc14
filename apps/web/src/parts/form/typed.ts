import type { Shape } from '@praesidor/core/model';

/** What somebody typed into a field, as the document has it; undefined where nothing was typed. */
export function fromTyped(shape: Pick<Shape, 'type' | 'words'>, text: string): unknown {
  if (shape.type === 'number') {
    const plain = text.trim().replace(/\s(?=\d{3})/g, '');
    if (!plain) return undefined;
    const n = Number(plain);
    return Number.isFinite(n) ? n : text;
  }
  if (shape.type === 'texts') {
    const parts = text
      .split(shape.words.lines ? /\n+/ : /[\s,;]+/)
      .map((t) => t.trim())
      .filter(Boolean);
    return parts.length ? parts : undefined;
  }
  return text === '' ? undefined : text;
}

/** A value as it stands in a field. */
export function toTyped(shape: Pick<Shape, 'type' | 'words'>, value: unknown): string {
  if (value === undefined || value === null) return '';
  if (Array.isArray(value)) return value.map(String).join(shape.words.lines ? '\n' : ', ');
  return typeof value === 'object' ? '' : String(value);
}
