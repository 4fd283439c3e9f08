// Our few words, as a person meets them.

export interface Term {
  word: string;
  means: string;
}

export const glossary = {
  crate: {
    word: 'crate',
    means:
      'One version of one add-on, made of a download: its files are laid out for one game, so that each has a place on the server. A crate never changes; a new version is another crate.'
  },
  pallet: {
    word: 'pallet',
    means:
      'The crates that came together in one pack. It remembers its members, so its next version takes away what it no longer holds.'
  },
  rulebook: {
    word: 'rulebook',
    means:
      'What this program knows of a game: which kinds of add-on there are, where their files go, which lists name what loads, what the log says. It is a text that you can read and change; each kept revision stays as it was.'
  },
  draft: {
    word: 'draft',
    means:
      'A deployment that was worked out and not run: every step with its reason, and what speaks against it. A draft touches nothing.'
  },
  deployment: {
    word: 'deployment',
    means:
      'One change of one server that can be taken back: files, entries of lists, settings, a stop and a start, and the proof that it loaded.'
  },
  leg: {
    word: 'leg',
    means:
      'A part of a deployment that ends with the server started and, where more follows, stopped again. A second one is needed where a settings file exists only after a first start.'
  },
  rung: {
    word: 'rung',
    means:
      'How far an add-on has come: placed (its files are there), listed (a list names it), loaded (the server said so), confirmed (a person saw it work in the game).'
  },
  'roll call': {
    word: 'roll call',
    means:
      'Finding out after a start which add-ons loaded, failed, or were not heard of: from the log, from the console, or from both.'
  },
  survey: {
    word: 'survey',
    means:
      'Comparing the whole tree of a server with what was deployed: what is as recorded, changed, missing, or not known. It changes nothing.'
  },
  ledger: {
    word: 'ledger',
    means:
      'What was recorded of a server: for each file which crate it is of, which deployment put it there, since when, and what was there before.'
  },
  tweak: {
    word: 'tweak',
    means:
      'One recorded change of a settings text, by its meaning: every other byte stays, updates keep it, and it can be taken back by itself.'
  },
  stockroom: {
    word: 'stockroom',
    means:
      'Where downloads, deployed files and what was overwritten are kept, so that any of it can come back.'
  },
  feed: {
    word: 'feed',
    means: 'A document at an address in which a community or an author announces versions of add-ons.'
  },
  'packing list': {
    word: 'packing list',
    means:
      'What players must have, may have and must not have to join a server, as a page that can be sent to them.'
  }
} as const satisfies Record<string, Term>;

export type Word = keyof typeof glossary;
