import { Select, TextInput } from '@mantine/core';
import type { FileHead } from '../../../shared/contract/imports.ts';
import { Section } from '../../components/page.tsx';
import { plural } from '../../components/words.ts';
import { Rows } from '../../components/rows.tsx';

/** What a column is said to be: one of Avendel's own fields, nothing, or an attribute with its type. */
export interface ColumnChoice {
  header: string;
  samples: string[];
  /** An own field, `out`, or the type of an attribute. */
  kind: string;
  name: string;
  /** Words of a choice, bars between. */
  words: string;
}

const KINDS = [
  {
    group: 'Fields',
    items: [
      { value: 'address', label: 'Address' },
      { value: 'name', label: 'Name' },
      { value: 'list', label: 'List' },
      { value: 'joined_at', label: 'Joined at' },
      { value: 'tags', label: 'Tags' },
      { value: 'consent_source', label: 'Consent: where' },
      { value: 'consent_evidence', label: 'Consent: to what' },
      { value: 'unsubscribed', label: 'Left the list: yes, or since when' },
      { value: 'opted_out', label: 'Wants no more of the brand: yes, or since when' },
    ],
  },
  {
    group: 'Your own attribute',
    items: [
      { value: 'text', label: 'Text' },
      { value: 'number', label: 'Number' },
      { value: 'date', label: 'Date' },
      { value: 'yes-no', label: 'Yes or no' },
      { value: 'choice', label: 'Choice' },
    ],
  },
  { group: '', items: [{ value: 'out', label: 'Left out' }] },
];
const TYPES = ['text', 'number', 'date', 'yes-no', 'choice'];

export function choicesOf({ columns }: FileHead): ColumnChoice[] {
  return columns.map(({ header, use, samples }) => {
    const [, name = '', type = '', words = ''] = /^([^:]*)(?::([a-z-]+)(?:\((.*)\))?)?$/.exec(use ?? '') ?? [];
    const isField = KINDS[0]!.items.some((item) => item.value === use);
    return {
      header,
      samples,
      kind: use === null ? 'out' : isField ? use : type || 'text',
      name: isField ? '' : name,
      words,
    };
  });
}

/** What each column is said to be, as the service takes it: all of it, so that nothing is guessed anew there. */
export function mappingOf(choices: ColumnChoice[]): Record<string, string | null> {
  return Object.fromEntries(
    choices.map(({ header, kind, name, words }) => [header, useOf(kind, name || header, words)]),
  );
}

function useOf(kind: string, name: string, words: string): string | null {
  if (kind === 'out') return null;
  if (!TYPES.includes(kind)) return kind;
  return kind === 'choice' && words.trim() !== '' ? `${name}:choice(${words})` : `${name}:${kind}`;
}

const DELIMITERS: Record<string, string> = { ',': 'commas', ';': 'semicolons', '\t': 'tabs', '|': 'bars' };

interface Props {
  head: FileHead;
  choices: ColumnChoice[];
  change: (choices: ColumnChoice[]) => void;
  /** Reads the file's beginning again, in another way. */
  again: (format: { delimiter: string; encoding: string; header: boolean }) => void;
}

/** What was found of the file, for correction before anything is read in. */
export function Columns({ head, choices, change, again }: Props) {
  const set = (header: string, part: Partial<ColumnChoice>): void =>
    change(choices.map((one) => (one.header === header ? { ...one, ...part } : one)));
  return (
    <Section
      head={`${plural(choices.length, 'column', 'columns')}${head.kept ? ', as you said for an earlier file with this header' : ''}`}
    >
      <FormatFields head={head} again={again} />
      <Rows
        heads={
          <>
            <th>Column</th>
            <th>Is</th>
            <th>Kept as</th>
          </>
        }
      >
        {choices.map((one) => (
          <tr key={one.header}>
            <td>
              {one.header || '(no name)'}
              <div className="second">
                {one.samples.filter((sample) => sample !== '').join(', ') || 'empty in the first rows'}
              </div>
            </td>
            <td>
              <Select
                aria-label={`What ${one.header} is`}
                data={KINDS}
                value={one.kind}
                allowDeselect={false}
                onChange={(kind) => set(one.header, { kind: kind! })}
              />
            </td>
            <td>{TYPES.includes(one.kind) ? <Attribute one={one} set={(part) => set(one.header, part)} /> : null}</td>
          </tr>
        ))}
      </Rows>
    </Section>
  );
}

/** How the file is read: corrected, its beginning is read again. */
function FormatFields({ head, again }: Pick<Props, 'head' | 'again'>) {
  const format = { delimiter: head.delimiter, encoding: head.encoding, header: head.header };
  return (
    <div className="row" style={{ marginBottom: 12 }}>
      <Select
        label="Parted by"
        data={Object.entries(DELIMITERS).map(([value, label]) => ({ value, label }))}
        value={format.delimiter}
        allowDeselect={false}
        onChange={(delimiter) => again({ ...format, delimiter: delimiter! })}
      />
      <Select
        label="Encoding"
        data={['utf-8', 'utf-16le', 'utf-16be', 'windows-1252']}
        value={format.encoding}
        allowDeselect={false}
        onChange={(encoding) => again({ ...format, encoding: encoding! })}
      />
      <Select
        label="First row"
        data={[
          { value: 'names', label: 'names the columns' },
          { value: 'contact', label: 'is a contact' },
        ]}
        value={format.header ? 'names' : 'contact'}
        allowDeselect={false}
        onChange={(first) => again({ ...format, header: first === 'names' })}
      />
    </div>
  );
}

function Attribute({ one, set }: { one: ColumnChoice; set: (part: Partial<ColumnChoice>) => void }) {
  return (
    <div className="stack">
      <TextInput
        aria-label={`Name of the attribute ${one.header}`}
        value={one.name}
        onChange={(event) => set({ name: event.currentTarget.value })}
      />
      {one.kind === 'choice' ? (
        <TextInput
          aria-label={`Words that ${one.header} can be`}
          placeholder="friend|patron"
          value={one.words}
          onChange={(event) => set({ words: event.currentTarget.value })}
        />
      ) : null}
    </div>
  );
}
