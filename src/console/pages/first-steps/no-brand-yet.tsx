import { Finding } from '../../components/page.tsx';
import { BrandForm } from '../settings/brand-form.tsx';
import { StepList } from './step-list.tsx';

/** A new Avendel asks for its first brand, and says what comes after it. */
export function NoBrandYet() {
  return (
    <main className="page" id="page" style={{ maxWidth: 640, margin: '0 auto' }}>
      <Finding line="A new Avendel" headline="There is no brand yet">
        Five steps lead from here to the first message.
      </Finding>
      <StepList
        steps={[
          { done: false, words: 'Make a brand: who your messages come from', here: <BrandForm /> },
          { done: false, words: 'Make a list: contacts are on lists, and campaigns go to them' },
          { done: false, words: 'See that the relay answers, to which messages are handed' },
          { done: false, words: 'Take contacts in from a file' },
          { done: false, words: 'Send yourself a test message' },
        ]}
      />
    </main>
  );
}
