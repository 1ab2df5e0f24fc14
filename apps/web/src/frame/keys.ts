import { useLayoutEffect } from 'react';
import { useNavigate } from 'react-router';
import { scoped, useScope } from '../state/scope.ts';
import { useView } from '../state/view.ts';
import { actKeys, editOf, focusRow, openRow, rowOf, rowsIn } from './rows.ts';
import { secondaryTabs, tabs } from './tabs.ts';

/** Whether a key belongs to what is being typed. */
const typing = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement && (e.target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(e.target.tagName));

/**
 * Keys of the frame: G and a letter, / or Ctrl-K, N through the findings, J and K through rows, Enter and E on what is in focus, F for
 * the next free address, ? for the list. What carries a `data-key` has its own.
 */
export function useFrameKeys() {
  const navigate = useNavigate();
  const { site } = useScope();
  const openGoTo = useView((s) => s.openGoTo);
  const openKeys = useView((s) => s.openKeys);
  const light = useView((s) => s.light);
  // Before the first paint: who sees the frame may use its keys.
  useLayoutEffect(() => {
    let after = '';
    let timer: ReturnType<typeof setTimeout>;
    const go = (to: string) => void navigate(scoped(to, site));
    const acts: Record<string, (e: KeyboardEvent) => boolean | undefined> = {
      '/': () => {
        openGoTo(true);
        return true;
      },
      '?': () => {
        openKeys(true);
        return true;
      },
      n: (e) => nextFinding(e.shiftKey ? -1 : 1, light),
      N: () => nextFinding(-1, light),
      j: () => step(1),
      k: () => step(-1),
      Enter: (e) => {
        const row = rowOf(e.target as Element);
        return !e.defaultPrevented && row === e.target && row !== null && openRow(row);
      },
      e: () => {
        const edit = editOf(document.activeElement, document);
        if (edit && 'click' in edit) edit.click.click();
        else if (edit) go(`/declare?edit=${encodeURIComponent(edit.document)}`);
        return edit !== undefined;
      },
      f: () => {
        go('/addresses?reserve=1');
        return true;
      },
    };
    const onKey = (e: KeyboardEvent) => {
      // Whoever has the focus comes first.
      if (e.defaultPrevented) return;
      if ((e.ctrlKey || e.metaKey) && e.key === 'k') {
        e.preventDefault();
        openGoTo(true);
        return;
      }
      if (typing(e) || e.ctrlKey || e.metaKey || e.altKey || document.querySelector('[role=dialog]')) return;
      if (after === 'g') {
        after = '';
        const to = [...tabs, ...secondaryTabs].find((t) => t.key === e.key);
        if (to) {
          e.preventDefault();
          go(to.path);
        }
        return;
      }
      if (e.key === 'g') {
        after = 'g';
        clearTimeout(timer);
        timer = setTimeout(() => {
          after = '';
        }, 1200);
        return;
      }
      const own = actKeys(document).find((a) => a.key === e.key && !(a.act as HTMLButtonElement).disabled);
      if (own) {
        own.act.click();
        e.preventDefault();
      } else if (acts[e.key]?.(e)) e.preventDefault();
    };
    window.addEventListener('keydown', onKey);
    return () => {
      window.removeEventListener('keydown', onKey);
      clearTimeout(timer);
    };
  }, [navigate, site, openGoTo, openKeys, light]);
}

function step(by: 1 | -1): boolean {
  const rows = rowsIn(document);
  const at = rows.indexOf(rowOf(document.activeElement) as HTMLElement);
  const next = rows[Math.max(0, Math.min(rows.length - 1, at + by))];
  if (next) focusRow(next);
  return next !== undefined;
}

function nextFinding(by: 1 | -1, light: (id: string | undefined) => void): boolean {
  const items = [...document.querySelectorAll<HTMLElement>('aside li[data-finding]')];
  const at = items.findIndex((i) => i.id === `margin-${useView.getState().lit}`);
  const next = items[at < 0 && by < 0 ? items.length - 1 : (at + by + items.length) % items.length];
  if (!next) return false;
  light(next.id.slice(7));
  next.scrollIntoView({ block: 'nearest' });
  next.querySelector<HTMLElement>('a,button')?.focus({ preventScroll: true });
  return true;
}

/**
 * Focus never falls to the page as a whole, where keys of a view are not heard by screen readers: what had it has gone (a dialog, a
 * row, a page), and the work area takes it.
 */
export function useKeptFocus(path: string) {
  useLayoutEffect(() => {
    const keep = () => {
      // After whatever closes has given it back to where it was.
      requestAnimationFrame(() =>
        requestAnimationFrame(() => {
          if (document.activeElement === document.body && !document.querySelector('[role=dialog]'))
            document.getElementById('work')?.focus({ preventScroll: true });
        }),
      );
    };
    if (path) keep();
    const seen = new MutationObserver(keep);
    seen.observe(document.body, { childList: true });
    document.addEventListener('focusout', keep);
    return () => {
      seen.disconnect();
      document.removeEventListener('focusout', keep);
    };
  }, [path]);
}
