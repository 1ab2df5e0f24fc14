import { counted } from '../words/amounts.ts';
import type { Book, Chapter, Part, Table } from './book.ts';

/** Text of a page: nothing in it is markup. */
const text = (t: string): string =>
  t.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;').replaceAll("'", '&#39;');
/** Text within a string of a style sheet (CSS Syntax 3 §4.3.7): whatever is no letter, digit or blank stands as its number. */
const cssText = (t: string): string => t.replace(/[^A-Za-z0-9 ]/gu, (c) => `\\${(c.codePointAt(0) as number).toString(16)} `);

const style = (b: Book) => `
@page { size: A4; margin: 18mm 16mm 20mm;
  @bottom-left { content: "${cssText(`${b.site.title} · ${b.made} · revision ${b.revision}`)}"; font: 8pt sans-serif; color: #48535e }
  @bottom-right { content: counter(page) " / " counter(pages); font: 8pt sans-serif; color: #48535e } }
* { box-sizing: border-box }
body { margin: 0 auto; max-width: 190mm; padding: 10mm 6mm; font: 9.5pt/1.4 'Atkinson Hyperlegible Next', 'DejaVu Sans', sans-serif; color: #17212b; background: #fff }
@media print { body { max-width: none; padding: 0 } }
h1 { font: 600 26pt/1.1 'Source Serif 4', 'DejaVu Serif', serif; margin: 0 0 2mm }
h2 { font: 600 15pt/1.2 'Source Serif 4', 'DejaVu Serif', serif; margin: 9mm 0 2mm; padding-bottom: 1mm; border-bottom: 1.2pt solid #17212b; break-after: avoid }
h2 .n { color: #5f6871; padding-right: 3mm }
h3 { font-size: 10pt; margin: 5mm 0 1.5mm; break-after: avoid }
p.made { margin: 0; color: #48535e }
ol.contents { columns: 2; margin: 5mm 0 0; padding-left: 6mm }
ol.contents a { color: inherit; text-decoration: none }
table { border-collapse: collapse; width: 100% }
thead { display: table-header-group }
tr { break-inside: avoid }
th { text-align: left; font-weight: normal; color: #5f6871; font-size: 8.5pt }
th, td { padding: .9mm 2mm .9mm 0; border-bottom: .5pt solid #b7af9d; vertical-align: top; overflow-wrap: break-word }
td:first-child:not(.nr) { min-width: 24mm }
td.mono { overflow-wrap: anywhere; font-family: 'Atkinson Hyperlegible Mono', 'DejaVu Sans Mono', monospace; font-size: 8.5pt }

td.blank { border: .5pt solid #b7af9d; height: 8mm; min-width: 22mm }
dl { display: grid; grid-template-columns: 42mm 1fr; margin: 0 }
dt { color: #5f6871 } dt, dd { margin: 0; padding: .9mm 0; border-bottom: .5pt solid #d9d3c5; overflow-wrap: anywhere }
figure { margin: 4mm 0 0; break-inside: avoid } figure svg { max-width: 100%; max-height: 225mm; height: auto }
`;

const table = ({ heads, rows, mono = [], blank = [] }: Table): string =>
  [
    '<table><thead><tr>',
    ...heads.map((h) => `<th>${text(h)}</th>`),
    '</tr></thead><tbody>',
    ...rows.map(
      (r) =>
        `<tr>${r.map((c, i) => `<td${/^\d+$/.test(c) && i === 0 ? ' class="nr"' : blank.includes(i) ? ' class="blank"' : mono.includes(i) ? ' class="mono"' : ''}>${text(c)}</td>`).join('')}</tr>`,
    ),
    '</tbody></table>',
  ].join('');

const parts: { [K in Part['is']]: (p: Extract<Part, { is: K }>) => string } = {
  facts: (p) => `<dl>${p.rows.map(([k, v]) => `<dt>${text(k)}</dt><dd>${text(v)}</dd>`).join('')}</dl>`,
  table: (p) => `${p.title ? `<h3>${text(p.title)}</h3>` : ''}${p.table.rows.length ? table(p.table) : '<p>None.</p>'}`,
  drawing: (p) => `<figure role="img" aria-label="${text(p.about)}">${p.svg}</figure>`,
  text: (p) => `<p>${text(p.text)}</p>`,
};
const chapter = (c: Chapter, n: number): string =>
  `<section id="c${n}"><h2><span class="n">${n}</span>${text(c.title)}</h2>${c.parts.map((p) => parts[p.is](p as never)).join('\n')}</section>`;

/** A book as a page of its own, made for print: nothing is fetched for it, and nothing runs in it. */
export const bookHtml = (b: Book): string =>
  [
    '<!doctype html>',
    '<html lang="en"><head><meta charset="utf-8">',
    `<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">`,
    `<title>${text(`${b.site.title}, site book, revision ${b.revision}`)}</title>`,
    `<style>${style(b)}</style></head><body>`,
    `<header><h1>${text(b.site.title)}</h1>`,
    `<p class="made">Site book, made ${text(b.made)} from revision ${b.revision} of the estate. ${counted(b.chapters.length, 'chapter')}. It has no secrets.</p>`,
    `<ol class="contents">${b.chapters.map((c, i) => `<li><a href="#c${i + 1}">${text(c.title)}</a></li>`).join('')}</ol></header>`,
    ...b.chapters.map((c, i) => chapter(c, i + 1)),
    '</body></html>',
  ].join('\n');
