// A field for expressions and JSON, which marks the words, and what is wrong at its place.
import { acceptCompletion, autocompletion, completionKeymap } from '@codemirror/autocomplete';
import type { Completion } from '@codemirror/autocomplete';
import { history, historyKeymap, standardKeymap } from '@codemirror/commands';
import { json, jsonParseLinter } from '@codemirror/lang-json';
import { StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { lintKeymap, linter, setDiagnostics } from '@codemirror/lint';
import type { Diagnostic } from '@codemirror/lint';
import { Compartment, EditorState, Prec } from '@codemirror/state';
import type { Extension } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { classHighlighter } from '@lezer/highlight';
import { effect } from '@preact/signals';
import type { JSX } from 'preact';
import { useEffect, useLayoutEffect, useRef } from 'preact/hooks';

/** What may stand at a place. */
export interface Offers {
  /** What of it has been typed. */
  readonly begun: string;
  readonly offers: readonly { readonly word: string; readonly about: string }[];
}

/** What is wrong with a text as a whole, told by the service; `at` counts characters from 0. */
export interface Fault {
  readonly at: number;
  readonly text: string;
}

interface Props {
  /** What the field holds, read from signals: whenever they change, the field does. */
  text(): string;
  readonly language: 'expression' | 'json' | 'plain';
  /** Attributes of the field, as `aria-label`. */
  readonly about: Readonly<Record<string, string>>;
  readonly hint?: string;
  readonly isFixed?: boolean;
  readonly fault?: Fault | undefined;
  onInput(text: string): void;
  /** Where this is given, the field has one line, and Enter ends it; else Enter with Control or Command does. */
  onEnter?(): void;
  offersAt?(before: string): Offers;
}

const WORDS = /^(AND|OR|NOT|LIKE|IN|BETWEEN|IS|NULL|TRUE|FALSE|CASEI|ACCENTI)\b/i;

/** The words of an expression, each of its kind. */
const expression = StreamLanguage.define({
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^'(?:[^']|'')*'?/) !== null) return 'string';
    if (stream.match(/^\d[\d.]*/) !== null) return 'number';
    if (stream.match(WORDS) !== null) return 'keyword';
    if (stream.match(/^[\p{L}_][\p{L}\d_.]*/u) !== null) return 'propertyName';
    stream.next();
    return 'operator';
  },
});

const inOneLine: Extension = [
  EditorState.transactionFilter.of((change) => (change.newDoc.lines > 1 ? [] : change)),
  EditorView.clipboardInputFilter.of((text) => text.trim().replace(/\s*\n\s*/g, ' ')),
];

const checkJson = jsonParseLinter();
const languages: Record<Props['language'], Extension> = {
  expression: expression,
  json: [
    json(),
    linter((view) => (view.state.doc.length === 0 ? [] : checkJson(view)), { delay: 400 }),
    EditorView.lineWrapping,
  ],
  plain: EditorView.lineWrapping,
};

function completing(offersAt: (before: string) => Offers): Extension {
  return autocompletion({
    icons: false,
    selectOnOpen: false,
    interactionDelay: 0,
    activateOnTypingDelay: 0,
    override: [
      ({ state, pos }) => {
        const { begun, offers } = offersAt(state.sliceDoc(0, pos));
        if (offers.length === 0) return null;
        const options = offers.map(({ word, about }): Completion => ({
          label: word,
          detail: about,
          apply: word.endsWith('(') ? word : `${word} `,
        }));
        return { from: pos - begun.length, options, filter: false };
      },
    ],
  });
}

/** The mark at what the service says is wrong. */
function diagnosed(state: EditorState, { at, text }: Fault): Diagnostic {
  const from = Math.min(at, Math.max(state.doc.length - 1, 0));
  const word = state.wordAt(from);
  return {
    from,
    to: word?.from === from ? word.to : Math.min(from + 1, state.doc.length),
    severity: 'error',
    message: text,
  };
}

/** What changes while the field is there. */
interface Parts {
  readonly about: Compartment;
  readonly language: Compartment;
}

function extensionsOf(now: { readonly props: Props }, parts: Parts): Extension {
  const { language, about, hint, isFixed, offersAt, onEnter } = now.props;
  const ends = (): boolean => {
    now.props.onEnter?.();
    return true;
  };
  const submits = ({ contentDOM }: EditorView): boolean => {
    contentDOM.closest('form')?.requestSubmit();
    return true;
  };
  return [
    EditorView.cspNonce.of(document.querySelector('link')?.nonce ?? ''),
    parts.about.of(EditorView.contentAttributes.of(about)),
    parts.language.of(languages[language]),
    offersAt === undefined ? [] : completing((before) => now.props.offersAt!(before)),
    offersAt === undefined ? [] : Prec.highest(keymap.of([{ key: 'Tab', run: acceptCompletion }])),
    keymap.of([
      ...completionKeymap,
      ...(onEnter === undefined ? [{ key: 'Mod-Enter', run: submits }] : [{ key: 'Enter', run: ends }]),
      ...lintKeymap,
      ...historyKeymap,
      ...standardKeymap,
    ]),
    onEnter === undefined ? [] : inOneLine,
    hint === undefined ? [] : placeholder(hint),
    history(),
    syntaxHighlighting(classHighlighter),
    EditorState.readOnly.of(isFixed === true),
    EditorView.editable.of(isFixed !== true),
    EditorView.updateListener.of(({ docChanged, state }) => {
      const text = state.doc.toString();
      if (docChanged && text !== now.props.text()) now.props.onInput(text);
    }),
  ];
}

export function Editor(props: Props): JSX.Element {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const now = useRef({ props });
  const parts = useRef({ about: new Compartment(), language: new Compartment() });
  now.current.props = props;
  useLayoutEffect(() => {
    const made = new EditorView({
      doc: props.text(),
      parent: place.current!,
      extensions: extensionsOf(now.current, parts.current),
    });
    view.current = made;
    // At once, not with the next picture: more may have been typed by then.
    const stop = effect(() => {
      const text = now.current.props.text();
      const { state } = made;
      if (state.doc.toString() === text) return;
      made.dispatch({ changes: { from: 0, to: state.doc.length, insert: text } });
    });
    return () => {
      stop();
      made.destroy();
    };
  }, []);
  useEffect(() => {
    const { about, language } = parts.current;
    view.current!.dispatch({
      effects: [
        about.reconfigure(EditorView.contentAttributes.of(props.about)),
        language.reconfigure(languages[props.language]),
      ],
    });
  }, [JSON.stringify(props.about), props.language]);
  useEffect(() => {
    if (props.language !== 'expression') return;
    const { state } = view.current!;
    const found = props.fault === undefined ? [] : [diagnosed(state, props.fault)];
    view.current!.dispatch(setDiagnostics(state, found));
  }, [props.fault?.at, props.fault?.text]);
  return <div class={`editor ${props.onEnter === undefined ? 'has-lines' : ''}`} ref={place} />;
}
