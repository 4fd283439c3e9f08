// The editor of texts: CodeMirror, with the look's own colours and what lint has found in the
// margin. It is loaded when a text is opened.
import { autocompletion, completionKeymap, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { json } from '@codemirror/lang-json';
import { xml } from '@codemirror/lang-xml';
import { yaml } from '@codemirror/lang-yaml';
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { lua } from '@codemirror/legacy-modes/mode/lua';
import { properties } from '@codemirror/legacy-modes/mode/properties';
import { toml } from '@codemirror/legacy-modes/mode/toml';
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search';
import { EditorState, type Extension } from '@codemirror/state';
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { TextFinding } from '../api/client';

function language(format: string): Extension {
  switch (format) {
    case 'yaml':
      return yaml();
    case 'json':
    case 'json-lax':
      return json();
    case 'xml':
      return xml();
    case 'toml':
      return StreamLanguage.define(toml);
    case 'script':
      return StreamLanguage.define(lua);
    case 'ini':
    case 'properties':
    case 'commands':
      return StreamLanguage.define(properties);
  }
  return [];
}

const colours = HighlightStyle.define([
  { tag: tags.comment, color: 'var(--ink-soft)', fontStyle: 'italic' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--ok)' },
  { tag: [tags.number, tags.bool, tags.null, tags.atom], color: 'var(--note)' },
  {
    tag: [tags.propertyName, tags.definition(tags.propertyName), tags.attributeName, tags.tagName],
    color: 'var(--ink)',
    fontWeight: '600'
  },
  { tag: [tags.keyword, tags.heading], color: 'var(--warn)' }
]);

const look = EditorView.theme({
  '&': {
    backgroundColor: 'var(--sheet)',
    color: 'var(--ink)',
    border: '1.5px solid var(--ink)',
    maxHeight: '68vh'
  },
  '&.cm-focused': { outline: '2px solid var(--act)', outlineOffset: '2px' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', fontSize: '12.5px', lineHeight: '1.6' },
  '.cm-gutters': {
    backgroundColor: 'var(--paper)',
    color: 'var(--ink-soft)',
    borderRight: '1px solid var(--rule)'
  },
  '.cm-activeLine': { backgroundColor: 'color-mix(in srgb, var(--rule-faint) 60%, transparent)' },
  '.cm-activeLineGutter': { backgroundColor: 'transparent', color: 'var(--ink)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'var(--note-bg)'
  },
  '.cm-panels': { backgroundColor: 'var(--paper)', color: 'var(--ink)' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--font-mono)', fontSize: '12.5px' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--note-bg)',
    color: 'var(--ink)'
  },
  '.cm-completionInfo': { maxWidth: '320px', padding: '6px 10px' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', border: '1.5px solid var(--ink)' }
});

export interface Editor {
  text(): string;
  show(line: number): void;
  tell(findings: TextFinding[]): void;
  end(): void;
}

/** What may stand at the end of a text, in the place of its last characters. */
export interface Suggested {
  all: { text: string; about?: string; kind: 'key' | 'value'; must?: boolean }[];
  replaces: number;
}

function completing(suggest: (before: string) => Suggested): Extension {
  return autocompletion({
    override: [
      (c: CompletionContext) => {
        const { all, replaces } = suggest(c.state.sliceDoc(0, c.pos));
        if (all.length === 0 || (replaces === 0 && !c.explicit)) return null;
        return {
          from: c.pos - replaces,
          options: all.map((s) => ({
            label: s.text,
            apply: s.kind === 'key' ? `${s.text}: ` : s.text,
            detail: s.must ? 'has to be there' : undefined,
            info: s.about,
            type: s.kind === 'key' ? 'property' : 'constant',
            boost: s.must ? 1 : 0
          })),
          validFor: /^[\w-]*$/
        };
      }
    ]
  });
}

/** Puts an editor into a place. changed is told the text whenever it becomes another one. */
export function open(
  at: HTMLElement,
  o: {
    text: string;
    format: string;
    label: string;
    fixed: boolean;
    changed: (text: string) => void;
    /** What may stand behind a text; asked with Ctrl Space and while a person types. */
    suggest?: (before: string) => Suggested;
  }
): Editor {
  const view = new EditorView({
    parent: at,
    state: EditorState.create({
      doc: o.text,
      extensions: [
        lineNumbers(),
        history(),
        drawSelection(),
        highlightActiveLine(),
        highlightSelectionMatches(),
        search({ top: true }),
        lintGutter(),
        language(o.format),
        o.suggest ? completing(o.suggest) : [],
        syntaxHighlighting(colours),
        look,
        EditorState.readOnly.of(o.fixed),
        EditorView.contentAttributes.of({ 'aria-label': o.label, tabindex: '0' }),
        // Tab moves on, as everywhere on the page; a text is indented with spaces.
        keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap, ...searchKeymap]),
        EditorView.updateListener.of((u) => {
          if (u.docChanged) o.changed(u.state.doc.toString());
        })
      ]
    })
  });
  return {
    text: () => view.state.doc.toString(),
    show(line) {
      if (line < 1 || line > view.state.doc.lines) return;
      const from = view.state.doc.line(line).from;
      view.dispatch({
        selection: { anchor: from },
        effects: EditorView.scrollIntoView(from, { y: 'center' })
      });
    },
    tell(findings) {
      const all: Diagnostic[] = [];
      for (const f of findings) {
        if (!f.line || f.line > view.state.doc.lines) continue;
        const line = view.state.doc.line(f.line);
        all.push({
          from: line.from,
          to: line.to,
          severity: f.level === 'note' ? 'info' : 'warning',
          message: f.what
        });
      }
      view.dispatch(setDiagnostics(view.state, all));
    },
    end: () => view.destroy()
  };
}
