import { readdirSync, readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import ts from 'typescript';
import { describe, expect, it } from 'vitest';

/**
 * Words that people are shown. A text is a sentence or a label: what stands between tags, in the attributes that are read, in
 * template texts, and in strings with a blank in them.
 */
const root = join(import.meta.dirname, '../../..');
const places = ['apps/web/src', 'apps/cli/src', 'apps/server/src', 'packages/core/src'];
const read = new Set(['title', 'label', 'aria-label', 'placeholder', 'hint', 'about', 'alt', 'facts', 'help']);

interface Said {
  text: string;
  at: string;
}
function textsOf(file: string): Said[] {
  const source = ts.createSourceFile(
    file,
    readFileSync(file, 'utf8'),
    ts.ScriptTarget.Latest,
    true,
    file.endsWith('x') ? ts.ScriptKind.TSX : ts.ScriptKind.TS,
  );
  const out: Said[] = [];
  const say = (node: ts.Node, text: string) => {
    const t = text.replace(/\s+/g, ' ').trim();
    if (/[a-z]/i.test(t))
      out.push({ text: t, at: `${relative(root, file)}:${source.getLineAndCharacterOfPosition(node.getStart()).line + 1}` });
  };
  const walk = (node: ts.Node): void => {
    if (ts.isImportDeclaration(node) || ts.isExportDeclaration(node) || ts.isTypeNode(node)) return;
    if (ts.isJsxAttribute(node) && node.name.getText() === 'className') return;
    if (ts.isJsxText(node)) say(node, node.text);
    else if (ts.isJsxAttribute(node) && read.has(node.name.getText()) && node.initializer && ts.isStringLiteral(node.initializer))
      say(node, node.initializer.text);
    else if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) {
      // Statements of the database and lists of classes are not read by people.
      if (
        /\s/.test(node.text) &&
        !/^\s*(select|insert|update|delete|create|with|alter|drop|listen|lock|begin)\b/i.test(node.text)
      )
        say(node, node.text);
    } else if (ts.isTemplateExpression(node)) {
      const { head, templateSpans: spans } = node;
      const text = [head.text, ...spans.map((s) => s.literal.text)].join(' … ');
      if (/\s[a-z]/i.test(text) && !/^\s*(select|insert|update|delete|create|with)\b/i.test(text)) say(node, text);
    }
    ts.forEachChild(node, walk);
  };
  walk(source);
  return out;
}
const files = places.flatMap((p) =>
  (readdirSync(join(root, p), { recursive: true }) as string[])
    .filter((f) => /\.tsx?$/.test(f) && !/\.test\.|\/migrations\/|^files\/|vite-env/.test(f))
    .map((f) => join(root, p, f)),
);
const texts = files.flatMap(textsOf);

/** Turns and words that are not ours: the trade has a plain one for each. */
const refused: [RegExp, string][] = [
  [/\bwaybills?\b/i, 'manifest of the shipment'],
  [/\bdetours?\b/i, 'address mapping'],
  [/\bpatience\b/i, 'time-out'],
  [/\bcarriers?\b/i, 'transfer process'],
  [/\badopt(s|ed|ing)?\b/i, 'add to the plan'],
  [/\bhand(s|ed)? (it |them )?over\b|\bhand-?over\b/i, 'install, give'],
  [/\bLeave it\b/, 'Cancel'],
  [/\bwhat is asked\b/i, 'Requirements'],
  [/\b(rotted|rots)\b/i, 'is corrupt'],
  [/\bon paper\b/i, 'as declared'],
  [/\balongside\b/i, 'while docked, the faster link'],
  [/\b(judged?|judging)\b/i, 'check'],
  [/\bPull secrets?\b/i, 'pull credentials'],
  [/\bSweep its controller\b|\bLet go\b|\bTake up again\b/, 'Find its BMC, Release, Restore'],
  [/\bserver answered \d/i, 'what happened, and what to do'],
  [/\bleads nowhere\b|\bthat way\b/i, 'say what is not there'],
  [/\bnobody knows how\b|\bended as nothing\b|\brefuses this\b/i, 'say what, and what to do'],
  [/\bnot open \(any more\)/i, 'closed'],
  [/\bnobody is given it who\b/i, 'only given when requested by address'],
  // One word for one thing: a host is held, an address reserved, a layer present, a build paused, an entry in the keyring.
  [/\b(layers?|images?|blobs?|address(es)?)( (is|are|was|were))? held\b/i, 'present, reserved'],
  [/\bkeyring (holds|does not hold)\b/i, 'the keyring has'],
  [/\bholds? (a|the) build\b|\bbuild (is )?held\b/i, 'paused'],
  [/\bstands? (twice|in line|in no)\b/i, 'is listed twice, is in line'],
  [/\bwhat (can|may) go\b|\btakes? them away\b/i, 'what can be deleted'],
];

describe('words that people are shown', () => {
  it('are read from every place', () => {
    expect(files.length).toBeGreaterThan(300);
    expect(texts.length).toBeGreaterThan(2000);
  });
  it.each(refused)('none says %s', (pattern, instead) => {
    expect(texts.filter((t) => pattern.test(t.text)).map((t) => `${t.at}: ${t.text} (${instead})`)).toEqual([]);
  });
  it('amounts have their noun in the number that they need', () => {
    // `1 hosts` comes of a number beside a plural without a word for one.
    expect(
      texts
        .filter((t) => /^… (hosts|networks|registries|clusters|entries|images|layers|files|zones)\b(?! CA)/.test(t.text))
        .map((t) => t.at),
    ).toEqual([]);
  });
});
