import { useCallback, useEffect, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';

/** The site that every space is narrowed to; it is in the URL, so that a link carries it. */
export function useScope() {
  const [params, setParams] = useSearchParams();
  const site = params.get('site') ?? '';
  const setSite = (next: string) =>
    setParams((p) => {
      if (next) p.set('site', next);
      else p.delete('site');
      return p;
    });
  const inScope = useCallback((s: string) => !site || s === site, [site]);
  /** One value of the URL, in place of what was there; empty: none. */
  const setParam = (key: string, value: string) =>
    setParams(
      (p) => {
        if (value) p.set(key, value);
        else p.delete(key);
        return p;
      },
      { replace: true },
    );
  return { site, setSite, params, setParams, setParam, inScope };
}
/** A path that keeps the scope. */
export const scoped = (path: string, site: string) =>
  site && !path.includes('site=') ? `${path}${path.includes('?') ? '&' : '?'}site=${site}` : path;

/**
 * A text that somebody types, kept in the URL: shown at once, written into the URL when the typing rests, so that
 * no key is lost while a long list is filtered; taken from the URL when that changes by itself (Back, a link).
 */
export function useTyped(key: string): [string, (text: string) => void] {
  const [params, setParams] = useSearchParams();
  const there = params.get(key) ?? '';
  const [text, setText] = useState(there);
  const written = useRef(there);
  useEffect(() => {
    if (there === written.current) return;
    written.current = there;
    setText(there);
  }, [there]);
  useEffect(() => {
    if (text === written.current) return undefined;
    const timer = setTimeout(() => {
      written.current = text;
      setParams(
        (p) => {
          if (text) p.set(key, text);
          else p.delete(key);
          return p;
        },
        { replace: true },
      );
    }, 250);
    return () => clearTimeout(timer);
  }, [text, key, setParams]);
  return [text, setText];
}
