import { lazy, Suspense, useEffect } from 'react';
import { Navigate, Outlet, useLocation } from 'react-router';
import { ApiError } from '../api/client.ts';
import { useEvents } from '../api/events.ts';
import { useMe, useSnapshot } from '../api/queries.ts';
import { setZone } from '../parts/time.ts';
import { useScope } from '../state/scope.ts';
import { zoneFor } from '../state/zone.ts';
import { useView } from '../state/view.ts';
import { Ribbon } from './Ribbon.tsx';
import { TopBar } from './TopBar.tsx';
import { useFrameKeys, useKeptFocus } from './keys.ts';
import { Words } from './Words.tsx';

const GoTo = lazy(() => import('./GoTo.tsx'));
const Keys = lazy(() => import('./Keys.tsx'));

export function Frame() {
  const me = useMe();
  const location = useLocation();
  const { site } = useScope();
  const sites = useSnapshot().data?.estate.sites;
  // Before anything below is drawn: one page has one clock.
  if (sites) setZone(zoneFor(sites, site));
  const goTo = useView((s) => s.goTo);
  const keys = useView((s) => s.keys);
  useEvents(me.data !== undefined);
  useFrameKeys();
  useKeptFocus(location.pathname);
  useEffect(() => {
    document.title = `${location.pathname.split('/')[1]?.replace(/^./, (c) => c.toUpperCase()) || 'Estate'} · Praesidor`;
  }, [location.pathname]);
  if (me.error instanceof ApiError && me.error.status === 401)
    return <Navigate to={`/sign-in?back=${encodeURIComponent(location.pathname + location.search)}`} replace />;
  if (!me.data) return <div className="p-8 text-ink-3">{me.error ? me.error.message : ''}</div>;
  return (
    <div className="grid h-full grid-rows-[44px_minmax(0,1fr)_30px]">
      <TopBar me={me.data} />
      <Suspense fallback={<div />}>
        <Outlet />
      </Suspense>
      <Ribbon />
      <Words />
      <Suspense>
        {goTo && <GoTo />}
        {keys && <Keys />}
      </Suspense>
    </div>
  );
}
