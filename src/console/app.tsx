import { lazy, Suspense } from 'react';
import { Route, Routes } from 'react-router';
import { useSession } from './api/session.ts';
import { useKeptFocus } from './components/kept-focus.ts';
import { Loading, ProblemNote } from './components/page.tsx';
import { useBrands } from './api/queries/organisation.ts';
import { OfBrand } from './brand.tsx';
import { Frame } from './frame.tsx';
import { NoBrandYet } from './pages/first-steps/no-brand-yet.tsx';
import { NoSuchBrand, NoSuchPage } from './pages/nothing-there.tsx';
import { SignIn } from './pages/sign-in/sign-in.tsx';

const Today = lazy(() => import('./pages/today/today.tsx'));
const Contacts = lazy(() => import('./pages/contacts/contacts.tsx'));
const Contact = lazy(() => import('./pages/contacts/contact.tsx'));
const Waiting = lazy(() => import('./pages/contacts/waiting.tsx'));
const Cost = lazy(() => import('./pages/contacts/cost.tsx'));
const Reconcile = lazy(() => import('./pages/contacts/reconcile.tsx'));
const Addresses = lazy(() => import('./pages/contacts/addresses.tsx'));
const Verifications = lazy(() => import('./pages/contacts/verifications.tsx'));
const Machines = lazy(() => import('./pages/contacts/machines.tsx'));
const NewImport = lazy(() => import('./pages/contacts/new-import.tsx'));
const ImportPage = lazy(() => import('./pages/contacts/import.tsx'));
const Campaigns = lazy(() => import('./pages/campaigns/campaigns.tsx'));
const Compare = lazy(() => import('./pages/campaigns/compare.tsx'));
const Campaign = lazy(() => import('./pages/campaigns/campaign.tsx'));
const Message = lazy(() => import('./pages/campaigns/message.tsx'));
const Segments = lazy(() => import('./pages/segments/segments.tsx'));
const Segment = lazy(() => import('./pages/segments/segment.tsx'));
const Snapshot = lazy(() => import('./pages/segments/snapshot.tsx'));
const Suppression = lazy(() => import('./pages/suppression/suppression.tsx'));
const Rules = lazy(() => import('./pages/rules/rules.tsx'));
const Returns = lazy(() => import('./pages/returns/returns.tsx'));
const Return = lazy(() => import('./pages/returns/return.tsx'));
const Settings = lazy(() => import('./pages/settings/settings.tsx'));
const Runs = lazy(() => import('./pages/runs/runs.tsx'));
const Run = lazy(() => import('./pages/runs/run.tsx'));

export function App() {
  const session = useSession();
  useKeptFocus();
  if (session.isPending) return <Loading rows={1} />;
  // What was typed before the session ended is still there afterwards.
  const ended = session.data === null;
  return (
    <>
      {session.data ? null : <SignIn ended={ended} />}
      <div hidden={ended}>{session.data || ended ? <SignedIn /> : null}</div>
    </>
  );
}

function SignedIn() {
  const brands = useBrands();
  if (brands.error) return <ProblemNote error={brands.error} />;
  if (!brands.data) return <Loading rows={1} />;
  if (brands.data.length === 0) return <NoBrandYet />;
  return (
    <OfBrand brands={brands.data} none={(id) => <NoSuchBrand id={id} brands={brands.data} />}>
      <Pages />
    </OfBrand>
  );
}

function Pages() {
  return (
    <Frame>
      <Suspense fallback={<Loading />}>
        <Routes>
          <Route path="/" element={<Today />} />
          <Route path="/contacts" element={<Contacts />} />
          <Route path="/contacts/import" element={<NewImport />} />
          <Route path="/contacts/import/:id" element={<ImportPage />} />
          <Route path="/contacts/waiting" element={<Waiting />} />
          <Route path="/contacts/cost" element={<Cost />} />
          <Route path="/contacts/reconcile" element={<Reconcile />} />
          <Route path="/contacts/reconcile/:id" element={<Reconcile />} />
          <Route path="/contacts/addresses" element={<Addresses />} />
          <Route path="/contacts/verifications" element={<Verifications />} />
          <Route path="/contacts/verifications/:id" element={<Verifications />} />
          <Route path="/contacts/machines" element={<Machines />} />
          <Route path="/contacts/:id" element={<Contact />} />
          <Route path="/segments" element={<Segments />} />
          <Route path="/segments/:id" element={<Segment />} />
          <Route path="/segments/:id/since/:snapshot" element={<Snapshot />} />
          <Route path="/campaigns" element={<Campaigns />} />
          <Route path="/campaigns/compare" element={<Compare />} />
          <Route path="/campaigns/:id" element={<Campaign />} />
          <Route path="/campaigns/:id/message" element={<Message />} />
          <Route path="/suppression" element={<Suppression />} />
          <Route path="/rules" element={<Rules />} />
          <Route path="/returns" element={<Returns />} />
          <Route path="/returns/:id" element={<Return />} />
          <Route path="/runs" element={<Runs />} />
          <Route path="/runs/:id" element={<Run />} />
          <Route path="/settings" element={<Settings />} />
          <Route path="*" element={<NoSuchPage />} />
        </Routes>
      </Suspense>
    </Frame>
  );
}
