import { Menu, Progress } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import { useState, type ReactNode } from 'react';
import { Link, NavLink } from 'react-router';
import { useBrands, useImporting, useRunsUnderWay, useSending, useToday } from './api/queries.ts';
import { useSession, useSignOut } from './api/session.ts';
import { BrandContext } from './brand.tsx';
import { Loading, ProblemNote } from './components/page.tsx';
import { useFreshEnd } from './components/run-under-way.tsx';
import { count } from './components/words.ts';
import { BrandForm } from './pages/settings/brand-form.tsx';
import { Lookup } from './lookup.tsx';

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
  const [chosen, setChosen] = useState(() => Number(localStorage.getItem('brand')));
  if (brands.error) return <ProblemNote error={brands.error} />;
  if (!brands.data) return <Loading rows={1} />;
  const brand = brands.data.find((one) => one.id === chosen) ?? brands.data[0];
  if (!brand) {
    return (
      <main className="page" style={{ maxWidth: 560, margin: '0 auto' }}>
        <h1>There is no brand yet</h1>
        <p className="second">A brand is who your messages come from. Lists, contacts and campaigns come after it.</p>
        <BrandForm />
      </main>
    );
  }
  const choose = (id: number): void => {
    localStorage.setItem('brand', String(id));
    setChosen(id);
  };
  return (
    <BrandContext value={brand}>
      <a className="skip" href="#page">
        Skip to the page
      </a>
      <div className="frame">
        <Rail brandId={brand.id} />
        <header className="bar">
          <Menu position="bottom-start" withArrow={false}>
            <Menu.Target>
              <button type="button" className="brand-switch" aria-label={`Brand: ${brand.name}`}>
                {brand.name} <IconChevronDown size={15} aria-hidden />
              </button>
            </Menu.Target>
            <Menu.Dropdown>
              {brands.data.map((one) => (
                <Menu.Item key={one.id} onClick={() => choose(one.id)}>
                  {one.name}
                </Menu.Item>
              ))}
            </Menu.Dropdown>
          </Menu>
          <Work />
          <Lookup />
        </header>
        <main className="page" id="page">
          {children}
        </main>
      </div>
    </BrandContext>
  );
}

function Rail({ brandId }: { brandId: number }) {
  const { data } = useToday(brandId);
  const session = useSession();
  const signOut = useSignOut();
  const looks = data
    ? (data.bounceCount.length > 0 ? 1 : 0) +
      (data.unmatchedReturns > 0 ? 1 : 0) +
      (data.asking > 0 ? 1 : 0) +
      (data.heldReturns > 0 ? 1 : 0) +
      data.storms.length +
      data.sending.filter((one) => one.state === 'paused').length
    : 0;
  return (
    <nav className="rail" aria-label="Places">
      <div className="wordmark serif">Avendel</div>
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
          onClick={() => signOut.mutate(undefined, { onSuccess: () => location.assign('/') })}
        >
          Sign out
        </button>
      </div>
    </nav>
  );
}

/** Sends, imports and runs under way, with live progress; a send goes before an import, and that before a run. */
function Work() {
  const sending = useSending().data?.items[0];
  const importing = useImporting().data?.items.find(({ state }) => state === 'applying');
  const running = useRunsUnderWay().data?.items.find(({ finishedAt, whole }) => finishedAt === null && whole > 0);
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
          to: `/contacts/import?import=${importing.id}`,
          name: importing.fileName,
          done: importing.rowsDone,
          whole: importing.rowsExpected,
        }
      : running && { ...running, to: `/runs/${running.id}`, name: `Run ${running.id}, ${running.kind}` };
  if (!work) return <div className="work" />;
  const part = (100 * work.done) / Math.max(1, work.whole);
  return (
    <div className="work">
      <Link to={work.to} className="door">
        {work.name}
      </Link>
      <Link to={work.to} className="work-line" style={{ width: `${part}%` }} aria-label={`${work.name}: ${count(work.done)} of ${count(work.whole)}`} />
      <Progress value={part} color="var(--av-ink)" size={6} radius={3} w={72} aria-label={`${work.name}: so far`} />
      {count(work.done)} of {count(work.whole)}
    </div>
  ); // prettier-ignore
}
