import { Button, Textarea, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Campaign } from '../../../shared/api.ts';
import { useAct } from '../../api/use-act.ts';
import { ProblemNote, Section } from '../../components/page.tsx';
import { AudienceFields, type Audience } from './audience-fields.tsx';

/** The draft's name, audience and message. What was typed is kept when the service refuses it. */
export function Editor({ campaign, onDone }: { campaign: Campaign; onDone: () => void }) {
  const [draft, setDraft] = useState({
    name: campaign.name,
    subject: campaign.subject,
    html: campaign.html,
    text: campaign.text,
  });
  const { listIds, segmentIds, leftOutListIds, leftOutSegmentIds } = campaign;
  const [audience, setAudience] = useState<Audience>({ listIds, segmentIds, leftOutListIds, leftOutSegmentIds });
  const save = useAct((client, _: void) => client.changeCampaign(campaign.id, { ...draft, ...audience }));
  const set = (field: keyof typeof draft) => (event: { currentTarget: { value: string } }) => {
    const { value } = event.currentTarget;
    setDraft((was) => ({ ...was, [field]: value }));
  };
  return (
    <div style={{ marginTop: 24 }}>
      <Section head="Edit the draft">
        <form className="stack" style={{ maxWidth: 860 }} onSubmit={(event) => { event.preventDefault(); save.mutate(undefined, { onSuccess: onDone }); }}>
          <TextInput label="Name" required value={draft.name} onChange={set('name')} />
          <TextInput label="Subject" value={draft.subject} onChange={set('subject')} description='A merge field says what to write when it is empty: [[first_name else "stargazer"]]' />
          <AudienceFields brandId={campaign.brandId} audience={audience} change={setAudience} />
          <Textarea label="HTML body" value={draft.html} onChange={set('html')} autosize minRows={8} maxRows={20} styles={{ input: { fontFamily: 'var(--mantine-font-family-monospace)', fontSize: 13.5 } }} />
          <Textarea label="Plain-text body" description="Made from the HTML if it is left empty." value={draft.text} onChange={set('text')} autosize minRows={3} maxRows={12} />
          <ProblemNote error={save.error} />
          <div className="row">
            <Button type="submit" loading={save.isPending}>Save the draft</Button>
            <Button onClick={onDone}>Close without saving</Button>
          </div>
        </form>
      </Section>
    </div>
  ); // prettier-ignore
}
