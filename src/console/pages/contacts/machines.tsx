import { Button, Checkbox, NumberInput, Select, Switch } from '@mantine/core';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type {
  AutomatedAddress,
  AutomatedPreview,
  AutomatedRule,
  ProxyList,
  RejudgePreview,
} from '../../../shared/contract/actors.ts';
import { client } from '../../api/client.ts';
import { useAutomated, useAutomatedPreview, useProxies, useRejudging } from '../../api/queries/actors.ts';
import { useAct } from '../../api/use-act.ts';
import { useLasting, usePaused } from '../../api/use-paused.ts';
import { useBrand } from '../../brand.tsx';
import { ContactDoor } from '../../components/contact-door.tsx';
import { FourSteps } from '../../components/four-steps.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { usePages } from '../../components/turn.tsx';
import { LongField, WhyField } from '../../components/long-field.tsx';
import { PageOfRows } from '../../components/rows.tsx';

/**
 * Who is no person: addresses that look automated, the proxies whose opens say nothing, and past acts by today's lists.
 */
export default function Machines() {
  const [rule, setRule] = useState<Partial<AutomatedRule>>({});
  const [asked, isAsked] = usePaused(rule);
  const preview = useAutomatedPreview(asked);
  const isCounting = useLasting(preview.isFetching);
  const proxies = useProxies();
  return (
    <Await of={preview} rows={8}>
      {(found) => (
        <>
          <Finding line={`Machines, whole organisation${isCounting ? ', counting …' : ''}`} headline={headline(found)}>
            {found.rule.stops ? 'A mark holds back from marketing.' : 'A mark is for you to look at; it stops nothing.'}{' '}
            Somebody behind a link scanner has acts of their own and is never marked.
          </Finding>
          <Leaf
            margin={
              <Rule
                found={found}
                isOfAnother={!isAsked || preview.isPlaceholderData}
                change={(one) => setRule({ ...rule, ...one })}
                tried={rule}
              />
            }
          >
            <Marked />
            <JudgedAnew />
            <Await of={proxies} rows={3}>
              {(list) => <Proxies key={JSON.stringify(list)} list={list} />}
            </Await>
          </Leaf>
        </>
      )}
    </Await>
  );
}

function headline({ counts, toMark }: AutomatedPreview): string {
  const marked =
    counts.marked === 0
      ? 'No address is marked as automated'
      : `${plural(counts.marked, 'address looks', 'addresses look')} automated`;
  return toMark === 0 ? marked : `${marked}, ${count(toMark)} more would be`;
}

const FIELDS: { name: 'campaigns' | 'opens' | 'days' | 'acts'; label: string }[] = [
  { name: 'campaigns', label: 'A machine acted on so many campaigns, a person on none' },
  { name: 'opens', label: 'or more opens than this' },
  { name: 'days', label: 'within days' },
  { name: 'acts', label: 'with fewer acts by a person than' },
];

function Rule({
  found,
  isOfAnother,
  change,
  tried,
}: {
  found: AutomatedPreview;
  isOfAnother: boolean;
  change: (rule: Partial<AutomatedRule>) => void;
  tried: Partial<AutomatedRule>;
}) {
  const { toMark, toClear, sample } = found;
  const rule = { ...found.rule, ...tried };
  const changed = Object.keys(tried).length > 0;
  const apply = useAct((_, given: { expected: number; reason: string }) =>
    client.applyAutomated({ expect: given.expected, reason: given.reason, rule: changed ? tried : undefined }),
  );
  return (
    <section className="section">
      <h2>What makes an address automated</h2>
      <RuleFields rule={rule} change={change} />
      <FourSteps
        expected={toMark + toClear}
        isOfAnother={isOfAnother}
        always={changed}
        what="Mark"
        apply={(expected, reason) => apply.mutateAsync({ expected, reason })}
        change={
          <p>
            {count(toMark)} are marked, {count(toClear)} no longer.
            {changed ? ' The rule is kept as it stands here.' : ''}{' '}
            {rule.stops ? 'Who is marked gets no marketing.' : ''}
          </p>
        }
      >
        <p>
          {count(toMark)} would be marked, {count(toClear)} no longer.
        </p>
        <ul style={{ paddingLeft: 18 }}>
          {sample.map((one) => (
            <li key={one.contactId}>
              <Door to={`/contacts/${one.contactId}`}>{one.address}</Door> <span className="second">{one.because}</span>
            </li>
          ))}
        </ul>
      </FourSteps>
    </section>
  );
}

function RuleFields({ rule, change }: { rule: AutomatedRule; change: (rule: Partial<AutomatedRule>) => void }) {
  return (
    <>
      {FIELDS.map(({ name, label }) => (
        <NumberInput
          key={name}
          label={label}
          value={rule[name]}
          min={1}
          allowDecimal={false}
          onChange={(value) => typeof value === 'number' && change({ [name]: value })}
          mt={8}
        />
      ))}
      <Switch
        mt={12}
        mb={16}
        label="A mark holds back from marketing"
        checked={rule.stops}
        onChange={(event) => change({ stops: event.currentTarget.checked })}
      />
    </>
  );
}

const STATES: { value: AutomatedAddress['state']; label: string }[] = [
  { value: 'marked', label: 'look automated' },
  { value: 'person', label: 'a person, somebody said' },
  { value: 'cleared', label: 'no longer' },
];

/** The addresses with their evidence, each to be said a person's or a machine's. */
function Marked() {
  const [params, setParams] = useSearchParams();
  const pages = usePages();
  const state = (params.get('state') ?? 'marked') as AutomatedAddress['state'];
  const [picked, setPicked] = useState<string[]>([]);
  const toggle = (address: string): void =>
    setPicked(picked.includes(address) ? picked.filter((one) => one !== address) : [...picked, address]);
  return (
    <Section
      head="Addresses"
      beside={
        <Select
          aria-label="Which"
          data={STATES}
          value={state}
          allowDeselect={false}
          onChange={(value) => {
            setPicked([]);
            setParams({ state: value! });
          }}
          w={220}
        />
      }
    >
      <PageOfRows
        of={useAutomated({ state, cursor: pages.cursor, limit: 25 })}
        pages={pages}
        size={25}
        none="None."
        heads={
          <>
            <th />
            <th>Address</th>
            <th>Because</th>
            <th>By</th>
            <th className="figure">Since</th>
          </>
        }
      >
        {(row) => (
          <MarkedRow
            key={row.contactId}
            row={row}
            picked={picked.includes(row.address)}
            toggle={() => toggle(row.address)}
          />
        )}
      </PageOfRows>
      {picked.length > 0 ? <Judge addresses={picked} done={() => setPicked([])} /> : null}
    </Section>
  );
}

function MarkedRow({ row, picked, toggle }: { row: AutomatedAddress; picked: boolean; toggle: () => void }) {
  const { zone } = useBrand();
  return (
    <tr>
      <td style={{ verticalAlign: 'middle' }}>
        <Checkbox aria-label={`Pick ${row.address}`} checked={picked} onChange={toggle} />
      </td>
      <td>
        <ContactDoor id={row.contactId} address={row.address} archived={row.archived} />
      </td>
      <td className="second">{row.evidence.because}</td>
      <td className="second" style={{ whiteSpace: 'nowrap' }}>
        {row.decidedBy ?? 'the rule'}
      </td>
      <td className="figure second">{moment(row.since, zone)}</td>
    </tr>
  );
}

function Judge({ addresses, done }: { addresses: string[]; done: () => void }) {
  const [reason, setReason] = useState('');
  const judge = useAct((_, as: 'person' | 'machine') => client.judgeAutomated({ addresses, as, reason }).then(done));
  return (
    <div className="stack" style={{ maxWidth: 480, marginTop: 12 }}>
      <WhyField
        label={`Why, for ${plural(addresses.length, 'address', 'addresses')}`}
        value={reason}
        change={setReason}
      />
      <ProblemNote error={judge.error} />
      <span className="row">
        <Button disabled={reason.trim() === ''} loading={judge.isPending} onClick={() => judge.mutate('person')}>
          A person reads it
        </Button>
        <Button disabled={reason.trim() === ''} loading={judge.isPending} onClick={() => judge.mutate('machine')}>
          A machine reads it
        </Button>
      </span>
    </div>
  );
}

/** Stored opens and clicks that today's lists and rules would judge otherwise. */
function JudgedAnew() {
  const apply = useAct((_, given: { expected: number; reason: string }) =>
    client.rejudgeActs({ expect: given.expected, reason: given.reason }),
  );
  return (
    <Section head="Past opens and clicks">
      <Await of={useRejudging()} rows={2}>
        {(found) =>
          found.acts === 0 ? (
            <p className="second">All are judged as today’s lists and rules would.</p>
          ) : (
            <FourSteps
              expected={found.acts}
              what="Judge anew"
              apply={(expected, reason) => apply.mutateAsync({ expected, reason })}
              change={
                <p>
                  Their actor changes, and with it activity and deliverability; stages move when the ladder is next
                  worked out.
                </p>
              }
            >
              <p>
                {count(found.acts)} of {plural(found.contacts, 'contact', 'contacts')} would be judged otherwise today.
              </p>
              <WouldBeJudged acts={found.sample} />
            </FourSteps>
          )
        }
      </Await>
    </Section>
  );
}

function WouldBeJudged({ acts }: { acts: RejudgePreview['sample'] }) {
  const { zone } = useBrand();
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Contact</th>
          <th>Act</th>
          <th>Was</th>
          <th>Would be</th>
        </tr>
      </thead>
      <tbody>
        {acts.map((one) => (
          <tr key={`${one.contactId} ${one.at}`}>
            <td>
              <Door to={`/contacts/${one.contactId}`}>{one.address}</Door>
            </td>
            <td>
              {one.kind}, {moment(new Date(one.at).toISOString(), zone)}
            </td>
            <td>{one.from}</td>
            <td>{one.to}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Proxies({ list }: { list: ProxyList }) {
  const [networks, setNetworks] = useState(list.networks.join('\n'));
  const [agents, setAgents] = useState(list.agents.join('\n'));
  const linesOf = (text: string): string[] =>
    text
      .split('\n')
      .map((line) => line.trim())
      .filter((line) => line !== '');
  const save = useAct(() => client.saveProxies({ networks: linesOf(networks), agents: linesOf(agents) }));
  const changed = networks !== list.networks.join('\n') || agents !== list.agents.join('\n');
  return (
    <Section head="Image proxies" beside="they fetch pictures for people, read or not: their opens say nothing">
      <div className="row" style={{ alignItems: 'start' }}>
        <LongField
          label="Networks, one a line"
          placeholder="192.0.2.0/24"
          value={networks}
          change={setNetworks}
          w={260}
        />
        <LongField label="Words in a user agent, one a line" value={agents} change={setAgents} w={300} />
      </div>
      <ProblemNote error={save.error} />
      <Button mt="sm" disabled={!changed} loading={save.isPending} onClick={() => save.mutate(undefined)}>
        Keep this list
      </Button>
    </Section>
  );
}
