import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { findTexts } from '../support/search.ts';
import { previewAct } from '../../src/operations/acts/act-on-contacts.ts';
import { countCost, savePriceLadder } from '../../src/operations/contacts/count-cost.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { exportImportResults } from '../../src/operations/imports/export-import-results.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { confirm } from '../../src/operations/consent/confirm.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { signUp, type SignUpRequest } from '../../src/operations/consent/sign-up.ts';
import { unsubscribeByRequest } from '../../src/operations/consent/unsubscribe-by-request.ts';
import { receiveReturns, type ReceivedReturn } from '../../src/operations/returns/receive-return.ts';
import { deliveryReport } from '../../src/simulator/reports.ts';
import { findReturn } from '../../src/store/statements/returns.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { listSignUps } from '../../src/store/statements/sign-ups.ts';
import { makeDeps } from '../support/database.ts';
import { importText, makePastCampaigns, makeSmallWorld, outside } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applyAct, undoRun } from '../support/runs.ts';

const deps = await makeDeps();
const world = await makeSmallWorld(deps, 10);
let campaigns: { id: number; at: number }[];

beforeAll(async () => {
  campaigns = await makePastCampaigns(deps, world, 40);
});
afterAll(() => deps.close());

const act = (what: 'archive' | 'restore' | 'erase', addresses: string[], expect: number) =>
  applyAct(deps, { act: what, addresses, expect, reason: 'asked', actor: 'Rosa Lindgard' });

const fromForm = (address: string): SignUpRequest => ({
  listId: world.listId,
  address,
  name: null,
  way: 'form',
  network: null,
  userAgent: null,
  agreed: '',
});

describe('erasing', () => {
  const ADDRESS = 'wilhelmina.quartermaine@hearthmail.example';
  const NAME = 'Wilhelmina Quartermaine';
  const FILE = [
    'address,name,seat',
    'first@hearthmail.example,First,A1',
    `${ADDRESS.toUpperCase()},"${NAME}",B2`,
    'last@hearthmail.example,Last,C3',
  ].join('\n');
  let importId: number;
  let contactId: number;

  test('somebody with a history in every table leaves no personal data anywhere in the database', async () => {
    importId = (await importText(deps, world.listId, FILE)).id;
    await importText(deps, world.listId, `address,seat\n${ADDRESS},Quartermaine’s own`);
    contactId = (await checkAddress(deps, ADDRESS)).contact!.id;
    const own = (kind: 'sent' | 'clicked' | 'bounced', detail = {}) => ({
      ...outside(world, kind, 0, campaigns[39]!, campaigns[39]!.at + (kind === 'sent' ? 0 : 60_000), detail),
      contactId,
      externalId: `${kind} ${ADDRESS}`,
    });
    await recordEvents(deps, [
      own('sent'),
      own('clicked', { link: 1, userAgent: 'Mail', method: 'GET' }),
      own('bounced', { class: 'soft', reply: `452 4.2.2 <${ADDRESS}>: mailbox full` }),
    ]);
    const list = await ownSuppressionList(deps, 'Do not write', 'marketing');
    await addEntries(deps, {
      listId: list.id,
      values: [ADDRESS],
      reason: `${NAME} asked by letter`,
      expiresAt: null,
      actor: 'Rosa Lindgard',
    });
    await unsubscribeByRequest(deps, { address: ADDRESS, reason: `${NAME} on the telephone`, actor: 'Rosa Lindgard' });
    await signUp(deps, {
      listId: world.listId,
      address: ADDRESS,
      name: NAME,
      way: 'form',
      network: '203.0.113.7',
      userAgent: 'Mail',
      agreed: '',
    });
    const reply = `From: mailer@hearthmail.example\r\nSubject: Out of office\r\nAuto-Submitted: auto-replied\r\n\r\n${NAME} <${ADDRESS}> is away.\r\n`;
    await receiveReturns(deps, Buffer.from(reply), ['b.nothing@returns.larkfield.example']);
    expect((await findTexts(deps, [ADDRESS, NAME])).map((hit) => hit.split('.')[0])).toEqual(
      expect.arrayContaining([
        'contact',
        'event',
        'journal',
        'suppression_entry',
        'sign_up',
        'return_raw',
        'import_part',
        'run',
        'delivery',
      ]),
    );

    await expect(act('erase', [ADDRESS], 2)).rejects.toMatchObject({ code: 'count-moved' });
    const run = await act('erase', [ADDRESS], 1);
    expect(run).toMatchObject({ kind: 'erase', counts: { erased: 1 } });
    expect(await findTexts(deps, [ADDRESS, NAME, 'quartermaine'])).toEqual([]);
    await expect(undoRun(deps, run.id, 'oops', 'Rosa Lindgard')).rejects.toMatchObject({ code: 'wrong-state' });
  });

  test('it goes by address and by contact, never by name: what is known of others stays, and what is erased keeps its shape', async () => {
    await importText(deps, world.listId, 'address,name\nvon@hearthmail.example,From\nyvon@hearthmail.example,Yvonne');
    const [own, other] = await Promise.all(
      ['von', 'yvon'].map(async (name) => (await checkAddress(deps, `${name}@hearthmail.example`)).contact!.id),
    );
    const token = (contactId: number): string =>
      deps.tokens.make({ use: 'return', campaignId: campaigns[39]!.id, contactId, link: 0 });
    await recordEvents(
      deps,
      [own!, other!].map((contactId) => ({
        ...outside(world, 'sent', 0, campaigns[39]!, campaigns[39]!.at),
        contactId,
        externalId: `sent to ${contactId}`,
      })),
    );
    const report = (name: string, contactId: number): Promise<ReceivedReturn[]> => {
      const to = `${name}@hearthmail.example`;
      const headers = `From: digest@larkfield.example\r\nTo: ${to}\r\nMessage-ID: <x@larkfield.example>`;
      const envelopeFrom = `b.${token(contactId)}@returns.larkfield.example`;
      return receiveReturns(
        deps,
        Buffer.from(`${deliveryReport({ envelopeFrom, to, headers }, '5.2.2', `552 5.2.2 <${to}> is full`)}\0`),
        [envelopeFrom],
      );
    };
    const [[of], [ofOther]] = await Promise.all([report('von', own!), report('yvon', other!)]);
    expect([of!.state, ofOther!.state]).toEqual(['counted', 'counted']);
    const stranger = await receiveReturns(
      deps,
      Buffer.from('Subject: hello\r\n\r\nask von@hearthmail.example, or xvon@hearthmail.example'),
      [''],
    );
    const before = await findReturn(deps.database, ofOther!.id);
    await act('erase', ['von@hearthmail.example'], 1);

    expect(await findReturn(deps.database, ofOther!.id)).toEqual(before);
    expect((await checkAddress(deps, 'yvon@hearthmail.example')).contact).toMatchObject({ name: 'Yvonne' });
    const erased = (await findReturn(deps.database, of!.id))!;
    expect(erased).toMatchObject({ kind: 'bounce', state: 'counted', because: '(erased)', raw: null, contactId: own });
    expect(erased.reading).toEqual({
      kind: 'bounce',
      standard: 'RFC 3464',
      because: '(erased)',
      message_id: null,
      token: null,
      recipients: [{ address: '(erased)', class: 'soft', status: '5.2.2', reply_code: '552', text: '(erased)' }],
    });
    expect((await findReturn(deps.database, stranger[0]!.id))!.raw).toBeNull();
    expect(await findTexts(deps, ['"von@', '<von@', ' von@'])).toEqual([]);
  });

  test('a file in UTF-16 without a header is written anew, and is read as it was from then on', async () => {
    const text = '\ufeffann.ekström@quillmail.example;Änn\nmaud.lisle@quillmail.example;Maud\nno address;Ünder\n';
    const { id, counts } = await importText(deps, world.listId, Buffer.from(text, 'utf16le'), false, {
      'column 2': 'name',
    });
    expect(counts).toEqual({ created: 2, refused: 1 });
    const results = async (): Promise<string> => {
      let all = '';
      for await (const piece of exportImportResults(deps, id)) all += piece;
      return all;
    };
    const before = (await results()).split('\n');
    expect(before[0]).toBe('address,column 2,row,outcome,code,explanation');
    await act('erase', ['maud.lisle@quillmail.example'], 1);
    const after = (await results()).split('\n');
    expect(after[2]).toMatch(/^\(erased\),\(erased\),2,created/);
    expect([...after.slice(0, 2), ...after.slice(3)]).toEqual([...before.slice(0, 2), ...before.slice(3)]);
    expect(after[1]).toMatch(/^ann\.ekström@quillmail\.example,Änn,1,created/);
    expect(after[3]).toMatch(/^no address,Ünder,3,refused,no-at-sign/);
    await act('erase', ['ann.ekström@quillmail.example'], 1);
    expect((await results()).split('\n')[3]).toBe(before[3]);
  });

  test('the result file keeps its other rows, and their outcomes, in place', async () => {
    let csv = '';
    for await (const piece of exportImportResults(deps, importId)) csv += piece;
    expect(csv.split('\n').map((line) => line.split(',').slice(0, 5).join(','))).toEqual([
      'address,name,seat,row,outcome',
      'first@hearthmail.example,First,A1,1,created',
      '(erased),(erased),(erased),2,created',
      'last@hearthmail.example,Last,C3,3,created',
      '',
    ]);
  });

  test('they cannot come back: not by an import, not by signing up, and nothing of the attempt is kept', async () => {
    expect((await importText(deps, world.listId, FILE, true)).counts).toEqual({ unchanged: 2, refused: 1 });
    const again = await importText(deps, world.listId, FILE);
    expect(again.counts).toEqual({ unchanged: 2, refused: 1 });
    let refused = '';
    for await (const piece of exportImportResults(deps, again.id, 'refused')) refused += piece;
    expect(refused.split('\n')[1]).toMatch(/^\(erased\),\(erased\),\(erased\),2,refused,erased,[^,]*\.$/);
    await signUp(deps, {
      listId: world.listId,
      address: ADDRESS,
      name: NAME,
      way: 'form',
      network: null,
      userAgent: null,
      agreed: '',
    });
    expect((await checkAddress(deps, ADDRESS)).brands[0]!.reasons).toContain('erased');
    expect(await findTexts(deps, [ADDRESS, NAME])).toEqual([]);
  });

  test('what they did still counts for the campaigns', async () => {
    const [row]: { sent: number; clicked_human: number }[] = await deps.database.query(
      'SELECT sent, clicked_human FROM activity WHERE contact_id = $1',
      [contactId],
    );
    expect(row).toEqual({ sent: 1, clicked_human: 1 });
  });
});

describe('archiving', () => {
  test('is previewed, done as a run, undone and restored; who is archived gets nothing', async () => {
    const some = world.addresses.slice(2, 5);
    expect(
      await previewAct(deps, { act: 'archive', addresses: [...some, 'nobody@x.example', 'no address'] }),
    ).toMatchObject({ willChange: 3, already: 0, unknown: ['no address', 'nobody@x.example'] });
    const run = await act('archive', some, 3);
    expect((await checkAddress(deps, some[0]!)).brands[0]!.reasons[0]).toBe('archived');
    expect(await previewAct(deps, { act: 'archive', addresses: some })).toMatchObject({ willChange: 0, already: 3 });
    expect(await undoRun(deps, run.id, 'too many', 'Rosa Lindgard')).toMatchObject({ restored: 3, leftAlone: 0 });
    expect((await checkAddress(deps, some[0]!)).brands[0]!.eligible).toBe(true);

    const again = await act('archive', some, 3);
    await act('restore', [some[1]!], 1);
    expect((await checkAddress(deps, some[1]!)).brands[0]!.eligible).toBe(true);
    expect(await undoRun(deps, again.id, 'too many', 'Rosa Lindgard')).toMatchObject({ restored: 2, leftAlone: 1 });
  });

  test('an archived person who confirms a sign-up counts again', async () => {
    const address = world.addresses[5]!;
    await act('archive', [address], 1);
    await signUp(deps, fromForm(address));
    expect((await checkAddress(deps, address)).brands[0]!.reasons).toEqual(['archived']);
    const [waiting] = await listSignUps(deps.database, { state: 'pending', listId: null }, 0, 10);
    expect(await confirm(deps, waiting!, null)).toBe(true);
    expect((await checkAddress(deps, address)).brands[0]!.eligible).toBe(true);
  });

  test('what it costs: who no campaign can reach, and what a year without them saves', async () => {
    await unsubscribeByRequest(deps, { address: world.addresses[7]!, reason: 'asked', actor: 'Rosa Lindgard' });
    await recordEvents(deps, [outside(world, 'bounced', 8, campaigns[39]!, campaigns[39]!.at, { class: 'hard' })]);
    // On a list of our own, which no subscription and no mark shows.
    const list = await ownSuppressionList(deps, 'Never again', 'everything');
    const stop = (address: string) =>
      addEntries(deps, {
        listId: list.id,
        values: [address],
        reason: 'lawyers',
        expiresAt: null,
        actor: 'Rosa Lindgard',
      });
    await stop(world.addresses[9]!);
    const before = await countCost(deps);
    expect(before).toMatchObject({ ladder: null, unreachable: 3, monthNow: null, savingYear: null });
    // Whoever was asked and has not answered may still confirm, unless something else holds them back for good.
    const evenings = await createList(deps, { brandId: world.brandId, name: 'Open Evenings', optIn: 'double' });
    for (const who of ['waiting', 'stopped'])
      await signUp(deps, { ...fromForm(`${who}@hearthmail.example`), listId: evenings.id });
    expect((await checkAddress(deps, 'waiting@hearthmail.example')).brands[0]!.reasons).toEqual(['unconfirmed']);
    expect(await countCost(deps)).toMatchObject({ counted: before.counted + 2, unreachable: 3 });
    await stop('stopped@hearthmail.example');
    expect(await countCost(deps)).toMatchObject({ counted: before.counted + 2, unreachable: 4 });
    await act('archive', ['waiting@hearthmail.example', 'stopped@hearthmail.example'], 2);
    const steps = [
      { from: 0, month: 10 },
      { from: before.counted - 1, month: 25 },
    ];
    await expect(
      savePriceLadder(deps, { currency: 'EUR', steps: [...steps].reverse() }, 'Rosa Lindgard'),
    ).rejects.toMatchObject({ field: 'steps.0.from' });
    const cost = await savePriceLadder(deps, { currency: 'EUR', steps }, 'Rosa Lindgard');
    expect(cost).toMatchObject({ monthNow: 25, monthAfter: 10, savingYear: 180 });
    await applyAct(deps, {
      act: 'archive',
      standing: 'unreachable',
      expect: 3,
      reason: 'saving',
      actor: 'Rosa Lindgard',
    });
    expect(await countCost(deps)).toMatchObject({
      counted: before.counted - 3,
      unreachable: 0,
      monthNow: 10,
      savingYear: 0,
    });
  });
});
