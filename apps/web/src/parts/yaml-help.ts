import { autocompletion, type CompletionContext } from '@codemirror/autocomplete';
import type { Extension } from '@codemirror/state';
import { hoverTooltip } from '@codemirror/view';
import { aboutField, type Estate, offersAt, placeIn, shapeAt } from '@praesidor/core/model';

/** The site that a document of the text is of, for names that are of a site. */
const siteOf = (text: string, offset: number) => {
  const start = text.slice(0, offset).lastIndexOf('\n---\n') + 1;
  const end = text.indexOf('\n---\n', offset);
  return /^site:\s*(\S+)/m.exec(text.slice(start, end < 0 ? undefined : end))?.[1] ?? '';
};

/** Completion and help by the schema and the words of each field: names and values where they can stand, and what a field is on hover. */
export const yamlHelp = (estate: () => Estate | undefined): Extension => [
  autocompletion({
    override: [
      (context: CompletionContext) => {
        const text = context.state.doc.toString();
        const place = placeIn(text, context.pos);
        if (!place || (!context.explicit && !place.typed)) return null;
        const offers = offersAt(place, estate(), { site: siteOf(text, context.pos) });
        return offers.length
          ? {
              from: place.from,
              options: offers.map((o) => ({
                label: o.text,
                detail: o.about.length > 60 ? `${o.about.slice(0, 58)}…` : o.about,
                ...(o.about.length > 60 ? { info: o.about } : {}),
                ...(place.at === 'name' ? { apply: `${o.text}: ` } : {}),
              })),
              validFor: /^[\w.-]*$/,
            }
          : null;
      },
    ],
    icons: false,
  }),
  hoverTooltip((view, pos) => {
    const line = view.state.doc.lineAt(pos);
    const text = line.text;
    const column = pos - line.from;
    const word = [...text.matchAll(/[A-Za-z][A-Za-z0-9]*(?=:)/g)].find(
      (m) => m.index <= column && column <= m.index + m[0].length,
    );
    if (!word) return null;
    // Behind the colon the field itself is where one is.
    const place = placeIn(view.state.doc.toString(), line.from + word.index + word[0].length);
    const field = place && shapeAt(place.kind, [...place.path, word[0]]).field;
    if (!field) return null;
    return {
      pos: line.from + word.index,
      end: line.from + word.index + word[0].length,
      above: true,
      create: () => {
        const dom = document.createElement('div');
        dom.className = 'max-w-[420px] px-2.5 py-1.5';
        dom.textContent = aboutField(field);
        return { dom };
      },
    };
  }),
];
