import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { html } from '@codemirror/lang-html';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { setDiagnostics } from '@codemirror/lint';
import { Compartment, EditorState } from '@codemirror/state';
import { Decoration, EditorView, keymap, MatchDecorator, ViewPlugin, type DecorationSet } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { useEffect, useRef } from 'react';
import type { Finding, FoundPlace } from '../../../shared/contract/messages.ts';
import css from './message.module.css';

interface Props {
  value: string;
  onChange: (value: string) => void;
  label: string;
  /** Plain text has no tags to colour. */
  plain?: boolean;
  /** Names of the merge fields that `[[` offers. */
  fields: readonly string[];
  /** What the check found in this field. */
  findings: readonly Finding[];
  /** The place to bring into view and to mark, as an object of its own each time it is asked for. */
  shown?: FoundPlace;
}

/** A body that is written: its tags apart from its words, its merge fields completed, its faults underlined. */
export function HtmlEditor({ value, onChange, label, plain = false, fields, findings, shown }: Props) {
  const holder = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const told = useRef(onChange);
  const offered = useRef(fields);
  useEffect(() => {
    told.current = onChange;
    offered.current = fields;
  });
  useEffect(() => {
    const made = new EditorView({ parent: holder.current!, state: stateOf(value, label, plain, told, offered) });
    view.current = made;
    return () => made.destroy();
    // Made once; what changes afterwards is given to it below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [label, plain]);
  useEffect(() => {
    const now = view.current!.state.doc.toString();
    if (now !== value) view.current!.dispatch({ changes: { from: 0, to: now.length, insert: value } });
  }, [value]);
  useEffect(() => {
    const { state } = view.current!;
    const diagnostics = findings.flatMap(({ weight, place, title, advice }) =>
      place && weight !== 'fine' && place.end <= state.doc.length
        ? [
            {
              from: place.at,
              to: place.end,
              severity: weight === 'stops' ? ('error' as const) : ('warning' as const),
              message: `${title}. ${advice}`,
            },
          ]
        : [],
    );
    view.current!.dispatch(setDiagnostics(state, diagnostics));
  }, [findings]);
  useEffect(() => {
    if (!shown) return;
    const { length } = view.current!.state.doc;
    const selection = { anchor: Math.min(shown.at, length), head: Math.min(shown.end, length) };
    view.current!.dispatch({ selection, effects: EditorView.scrollIntoView(selection.anchor, { y: 'center' }) });
    view.current!.focus();
  }, [shown]);
  return <div ref={holder} className={css.editor} />;
}

const MERGE_FIELD = new MatchDecorator({
  regexp: /\[\[[^[\]]*\]\]/g,
  decoration: Decoration.mark({ class: css.mergeField }),
});
const MERGE_FIELDS = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) {
      this.decorations = MERGE_FIELD.createDeco(view);
    }
    update(update: Parameters<typeof MERGE_FIELD.updateDeco>[0]) {
      this.decorations = MERGE_FIELD.updateDeco(update, this.decorations);
    }
  },
  { decorations: (one) => one.decorations },
);
const COLOURS = HighlightStyle.define([
  { tag: [tags.tagName, tags.angleBracket, tags.attributeName], color: 'var(--av-ink3)' },
  { tag: tags.comment, color: 'var(--av-ink3)', fontStyle: 'italic' },
]);

function stateOf(
  value: string,
  label: string,
  plain: boolean,
  told: { current: (value: string) => void },
  offered: { current: readonly string[] },
): EditorState {
  return EditorState.create({
    doc: value,
    extensions: [
      history(),
      // Tab leaves the editor, as it leaves every other field.
      keymap.of([...defaultKeymap, ...historyKeymap]),
      new Compartment().of(plain ? [] : html({ autoCloseTags: false })),
      syntaxHighlighting(COLOURS),
      MERGE_FIELDS,
      autocompletion({ override: [(context) => offerFields(context, offered.current)], activateOnTyping: true }),
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'true' }),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) told.current(update.state.doc.toString());
      }),
    ],
  });
}

/** Behind `[[` the merge fields there are, each with where to say what else to write. */
function offerFields(context: CompletionContext, fields: readonly string[]): CompletionResult | null {
  const before = context.matchBefore(/\[\[\s*[a-z0-9_ ]*/i);
  if (!before) return null;
  return {
    from: before.from,
    options: fields.map((field) => ({
      label: `[[${field}`,
      displayLabel: field,
      apply: field === 'address' ? '[[address]]' : `[[${field} else ""]]`,
    })),
  };
}
