import { z } from 'zod';
import { type Kind, kinds } from '../documents.ts';
import { fieldWords, kindWords } from './catalogue.ts';

type Node = Record<string, unknown> & { properties?: Record<string, Node>; items?: Node; anyOf?: Node[] };

/**
 * The JSON Schema (draft 2020-12) of a kind as people write it, with the words of its fields: what a text editor offers, and what
 * another program checks a document with before it is sent.
 */
export function jsonSchemaOf(kind: Kind): object {
  const root = z.toJSONSchema(kinds[kind], { io: 'input', unrepresentable: 'any' }) as Node;
  describeIn(root, kind, '');
  return { ...root, title: kind, description: kindWords[kind] };
}

function describeIn(node: Node, kind: Kind, below: string): void {
  for (const [key, child] of Object.entries(node.properties ?? {})) {
    const path = below ? `${below}.${key}` : key;
    const words = fieldWords[kind][path];
    if (words) {
      child.title = words.label;
      const said = [words.help, words.unit && `In ${words.unit}.`].filter(Boolean).join(' ');
      if (said) child.description = said;
      if (words.example !== undefined) child.examples = [words.example];
    }
    describeIn(child, kind, path);
    if (child.items) describeIn(child.items, kind, `${path}.*`);
  }
}

/** One schema for a document of any kind, by its `kind`. */
export const anyDocumentSchema = (): object => ({
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: 'A document of the estate',
  oneOf: (Object.keys(kinds) as Kind[]).map((kind) => {
    const { $schema: _, ...rest } = jsonSchemaOf(kind) as { $schema?: string };
    return rest;
  }),
});
