import { Menu, Progress } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import { useEffect, useRef, type ReactNode } from 'react';
import { Link, NavLink, useLocation } from 'react-router';
import { useSending } from './api/queries/campaigns.ts';
import { useImporting } from './api/queries/imports.ts';
import { useBrands, useToday } from './api/queries/organisation.ts';
import { useRunsUnderWay } from './api/queries/runs.ts';
import { useCatchingUp } from './api/queries/tallies.ts';
import { forgetTyped } from './api/use-typed.ts';
import { useSession, useSignOut } from './api/session.ts';
import { lookAtBrand, useBrand } from './brand.tsx';
import { useCellHeads } from './components/cell-heads.ts';
import { useFreshEnd } from './components/run-under-way.tsx';
import { count } from './components/words.ts';
import { Lookup } from './lookup.tsx';
import css from './frame.module.css';

const PLACES = [
  ['/', 'Today'],
  ['/contacts', 'Contacts'],
  ['/segments', 'Segments'],
  ['/campaigns', 'Campaigns'],
  ['/suppression', 'Suppression'],
  ['/rules', 'Rules'],
  ['/settings', 'Settings'],
] as const;

/** The rail of places, the bar with brand, work in progress and lookup, and the page. */
export function Frame({ children }: { children: ReactNode }) {
  const brands = useBrands();
  const brand = useBrand();
  const page = useRef<HTMLElement>(null);
  useCellHeads(page);
  const { pathname } = useLocation();
  const from = useRef(pathname);
  // What had the focus on the page before is gone with it: the next key goes on from the beginning of this one.
  useEffect(() => {
    if (from.current !== pathname && document.activeElement === document.body)
      page.current?.focus({ preventScroll: true });
    from.current = pathname;
  }, [pathname]);
  return (
    <>
      <a className={css.skip} href="#page">
        Skip to the page
      </a>
      <div className={css.frame}>
        <Rail brandId={brand.id} />
        <header className={css.bar}>
          <Menu position="bottom-start" withinPortal={false} withInitialFocusPlaceholder={false}>
            <Menu.Target>
              <button type="button" className={css.brandSwitch} aria-label={`Brand: ${brand.name}`}>
                {brand.name} <IconChevronDown size={15} aria-hidden />
              </button>
            </Menu.Target>
            <Menu.Dropdown>
              {(brands.data ?? []).map((one) => (
                <Menu.Item key={one.id} onClick={() => lookAtBrand(one.id)}>
                  {one.name}
                </Menu.Item>
              ))}
            </Menu.Dropdown>
          </Menu>
          <Work />
          <Lookup />
        </header>
        <main className="page" id="page" ref={page} tabIndex={-1}>
          {children}
        </main>
      </div>
    </>
  );
}

function Rail({ brandId }: { brandId: number }) {
  const { data } = useToday(brandId);
  const session = useSession();
  const signOut = useSignOut();
  const looks = data
    ? (data.changed.bounceCount > 0 ? 1 : 0) +
      (data.unmatchedReturns > 0 ? 1 : 0) +
      (data.asking > 0 ? 1 : 0) +
      (data.heldReturns > 0 ? 1 : 0) +
      data.storms.length +
      data.stops.length +
      data.sending.filter((one) => one.state === 'paused').length
    : 0;
  return (
    <nav className={css.rail} aria-label="Places">
      <div className={`${css.wordmark} serif`}>Avendel</div>
      {PLACES.map(([path, name]) => (
        <NavLink key={path} to={path} end={path === '/'} className={({ isActive }) => (isActive ? 'open' : '')}>
          {path === '/' && looks > 0 ? (
            <span className="count" title={`${looks} to look at`}>
              {looks}
            </span>
          ) : null}
          {name}
        </NavLink>
      ))}
      <div className="who">
        {session.data?.name}
        <br />
        <button
          type="button"
          className="door"
          onClick={() => signOut.mutate(undefined, { onSuccess: () => (forgetTyped(), location.assign('/')) })}
        >
          Sign out
        </button>
      </div>
    </nav>
  );
}

/**
 * Sends, imports and runs under way, with live progress; a send goes before an import, and that before a run. Last what
 * a newer version counts anew.
 */
function Work() {
  const sending = useSending().data?.items[0];
  const importing = useImporting().data?.items.find(({ state }) => state === 'applying');
  const running = useRunsUnderWay().data?.items.find(({ finishedAt, whole }) => finishedAt === null && whole > 0);
  const catchingUp = useCatchingUp();
  useFreshEnd(running);
  const work = sending
    ? {
        to: `/campaigns/${sending.id}`,
        name: sending.name,
        done: sending.accepted,
        whole: sending.accepted + sending.waiting,
      }
    : importing
      ? {
          to: `/contacts/import/${importing.id}`,
          name: importing.fileName,
          done: importing.rowsDone,
          whole: importing.rowsExpected,
        }
      : running
        ? { ...running, to: `/runs/${running.id}`, name: `Run ${running.id}, ${running.kind}` }
        : catchingUp && {
            to: '/campaigns',
            name: 'Counting what was sent before',
            done: catchingUp.upto,
            whole: catchingUp.whole,
          };
  if (!work)
    return (
      <div className={css.work}>
        <Link to="/runs" className="plain">
          Runs
        </Link>
      </div>
    );
  const part = (100 * work.done) / Math.max(1, work.whole);
  return (
    <div className={css.work}>
      <Link to={work.to} className="door">
        {work.name}
      </Link>
      <Link
        to={work.to}
        className={css.workLine}
        style={{ width: `${part}%` }}
        aria-label={`${work.name}: ${count(work.done)} of ${count(work.whole)}`}
      />
      <Progress value={part} color="var(--av-ink)" size={6} radius={3} w={72} aria-label={`${work.name}: so far`} />
      {count(work.done)} of {count(work.whole)}
    </div>
  );
}
