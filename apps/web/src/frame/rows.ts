/** Rows of the view: those that say so, and those of every table. Found when a key asks, since they come and go. */
export const rowsIn = (root: ParentNode): HTMLElement[] =>
  [...root.querySelectorAll<HTMLElement>('main [data-row], main .grid-table > tbody > tr:not([data-row])')].filter(
    (r) => r.getClientRects().length > 0,
  );

export const rowOf = (e: Element | null): HTMLElement | null =>
  e?.closest<HTMLElement>('[data-row], .grid-table > tbody > tr') ?? null;

/** Focuses a row; one of a plain table can be focused from then on. */
export function focusRow(row: HTMLElement): void {
  if (!row.hasAttribute('tabindex')) row.tabIndex = -1;
  row.focus({ preventScroll: true });
  row.scrollIntoView({ block: 'nearest' });
}

const usable = 'a[href], button:not([disabled]):not([data-bastion]), select, input:not([type=checkbox]), textarea';
/** What Enter does on a row that has nothing of its own for it: its first link or act, or its first field. */
export function openRow(row: HTMLElement): boolean {
  const first = row.querySelector<HTMLElement>(usable);
  if (!first) return false;
  if (first.matches('select, input, textarea')) first.focus();
  else first.click();
  return true;
}

/** What E means where somebody is: a field or an act of the row that edits it, or the document that it is, or that of the view. */
export function editOf(at: Element | null, root: ParentNode): { click: HTMLElement } | { document: string } | undefined {
  const row = rowOf(at);
  const click = row?.querySelector<HTMLElement>('[data-edits]');
  if (click) return { click };
  const own =
    at?.closest<HTMLElement>('[data-edit]')?.dataset.edit ?? row?.querySelector<HTMLElement>('[data-edit]')?.dataset.edit;
  if (own) return { document: own };
  const view = root.querySelector<HTMLElement>('main[data-edit]')?.dataset.edit;
  if (view) return { document: view };
  const field = root.querySelector<HTMLElement>('main [data-edits]');
  return field ? { click: field } : undefined;
}

/** Keys that this view has beside those of the frame: acts that carry one. */
export const actKeys = (root: ParentNode): { key: string; text: string; act: HTMLElement }[] =>
  [...root.querySelectorAll<HTMLElement>('main [data-key]')].map((act) => ({
    key: act.dataset.key ?? '',
    text: (act.getAttribute('aria-label') ?? act.textContent ?? '').replace(/…$/, '').trim(),
    act,
  }));

/** The list of keys as it is where somebody asks for it: those of the view first. */
export function keysHere(root: ParentNode): [string, string][] {
  return [
    ...actKeys(root).map(({ key, text }): [string, string] => [key.toUpperCase(), text]),
    ...(rowsIn(root).length
      ? ([
          ['J and K', 'next row, row before'],
          ['Enter', 'open the row'],
        ] as [string, string][])
      : []),
    ...(editOf(null, root) || root.querySelector('main [data-edit], main [data-edits]')
      ? ([['E', 'edit what is in focus']] as [string, string][])
      : []),
    ...(root.querySelector('aside li[data-finding]')
      ? ([['N', 'next finding in the margin; Shift-N the one before']] as [string, string][])
      : []),
  ];
}
