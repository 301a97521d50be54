/** What the journal keeps of an entry, as SQL: of the row `e` of `suppression_entry`, on the list `l`. */
export const entryJson = (inEffect: boolean): string =>
  `jsonb_build_object('list', l.name, 'listId', l.id, 'value', e.value, 'inEffect', ${inEffect})`;

/** Whom the journal names for what was entered, as SQL. */
export interface Entering {
  run: string;
  actorKind: string;
  actor: string;
  /** Of an entered row `e`. */
  cause: string;
  /** Whose the entry is, of an entered row `e`; else the contact with its address. */
  contact?: string;
}

/**
 * Looked up for each entry among all contacts: joined, the server guesses how many were entered, and far too low, and
 * compared each of 10,000 with each.
 */
const BY_ADDRESS = `(SELECT c.id FROM contact c WHERE e.kind = 'address' AND c.address = e.value)`;

/**
 * CTEs `entered (id, list_id, kind, value, reason, evidence)` and `entries_noted`: enters rows on suppression lists and
 * journals it. A value that stands on its list already is left as it is; entries that have run out must have been
 * closed before. `columns` are those of `rows` after list, kind, value, reason and source.
 */
export function enteringCtes(columns: string, rows: string, of: Entering): string {
  return `entered AS (
       INSERT INTO suppression_entry (list_id, kind, value, reason, source${columns})
       ${rows}
       ON CONFLICT (value, list_id) WHERE lifted_at IS NULL DO NOTHING
       RETURNING id, list_id, kind, value, reason, evidence),
     entries_noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT ${of.run}, ${of.contact ?? BY_ADDRESS}, 'entry', e.id, NULL, ${entryJson(true)}, ${of.actorKind}, ${of.actor}, ${of.cause}
       FROM entered e JOIN suppression_list l ON l.id = e.list_id)`;
}
