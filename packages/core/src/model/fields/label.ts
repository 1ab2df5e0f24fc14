import type { Kind } from '../documents.ts';
import { fieldWords } from './catalogue.ts';

/**
 * What a field is called where it stands alone: as the sheet calls it, else with its group before it. A path without words is told as it is.
 *
 * @example
 * labelOfField('Charter', ['controlPlane', 'count']) // 'Control plane'
 * labelOfField('Charter', ['timers', 'tolerate']) // 'Pods wait'
 */
export function labelOfField(kind: Kind, path: readonly (string | number)[]): string {
  const all = fieldWords[kind];
  const keys = path.map((p) => (typeof p === 'number' || /^\d+$/.test(p) ? '*' : p));
  const words = all[keys.join('.')];
  if (!words) return path.join('.');
  if (words.sheet?.label) return words.sheet.label;
  const group = keys.length > 1 ? all[keys.slice(0, -1).join('.')]?.label : undefined;
  return group ? `${group}: ${words.label.toLowerCase()}` : words.label;
}
