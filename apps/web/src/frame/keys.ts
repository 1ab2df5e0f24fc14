import { useLayoutEffect } from 'react';
import { useNavigate } from 'react-router';
import { scoped, useScope } from '../state/scope.ts';
import { useView } from '../state/view.ts';
import { besides, tabs } from './tabs.ts';

/** Whether a key belongs to what is being typed. */
const typing = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement && (e.target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(e.target.tagName));

/** Keys of the frame: G and a letter, / or Ctrl-K, N through the findings, J and K through rows, ? for this list. */
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
    const onKey = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key === 'k') {
        e.preventDefault();
        openGoTo(true);
        return;
      }
      if (typing(e) || e.ctrlKey || e.metaKey || e.altKey || document.querySelector('[role=dialog]')) return;
      if (after === 'g') {
        after = '';
        const to = [...tabs, ...besides].find((t) => t.key === e.key);
        if (to) {
          e.preventDefault();
          void navigate(scoped(to.path, site));
        }
        return;
      }
      if (e.key === 'g') {
        after = 'g';
        clearTimeout(timer);
        timer = setTimeout(() => {
          after = '';
        }, 1200);
      } else if (e.key === '/') {
        e.preventDefault();
        openGoTo(true);
      } else if (e.key === '?') openKeys(true);
      else if (e.key === 'n' || e.key === 'N') {
        const items = [...document.querySelectorAll<HTMLElement>('aside li[data-finding]')];
        const at = items.findIndex((i) => i.id === `margin-${useView.getState().lit}`);
        const next = items[(at + (e.shiftKey ? items.length - 1 : 1)) % items.length];
        if (next) {
          light(next.id.slice(7));
          next.scrollIntoView({ block: 'nearest' });
          next.querySelector<HTMLElement>('a,button')?.focus({ preventScroll: true });
        }
      } else if (e.key === 'j' || e.key === 'k') {
        const rows = [...document.querySelectorAll<HTMLElement>('main [data-row]')];
        const at = rows.indexOf(document.activeElement as HTMLElement);
        const next = rows[Math.max(0, Math.min(rows.length - 1, at + (e.key === 'j' ? 1 : -1)))];
        next?.focus();
        next?.scrollIntoView({ block: 'nearest' });
      }
    };
    window.addEventListener('keydown', onKey);
    return () => {
      window.removeEventListener('keydown', onKey);
      clearTimeout(timer);
    };
  }, [navigate, site, openGoTo, openKeys, light]);
}
