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
  return { site, setSite, params, setParams, inScope: (s: string) => !site || s === site };
}
/** A path that keeps the scope. */
export const scoped = (path: string, site: string) =>
  site && !path.includes('site=') ? `${path}${path.includes('?') ? '&' : '?'}site=${site}` : path;
