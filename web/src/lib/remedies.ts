// What a finding or an error says would help, as a link of this console. What has its own
// button beside the finding, or can be done in words alone, has none.
import type { Remedy } from './api/client';
import { p, toDeployment, toServer } from '../router';

export interface Link {
  words: string;
  href: string;
}

/** The link of a remedy. about is the server that is on the page, where one is. */
export function linkOf(r: Remedy, about?: string): Link | undefined {
  const server = r.on || about;
  const tab = (words: string, name: string): Link | undefined =>
    server ? { words, href: toServer(server, name) } : undefined;
  switch (r.do) {
    case 'edit-server':
    case 'test-server':
    case 'unlock-server':
    case 'trust-key':
    case 'forget-key':
    case 'show-server':
      return tab('To the way in', 'about');
    case 'set-control':
    case 'set-secret':
    case 'read-log':
    case 'call-roll':
    case 'restart':
      return tab('To stop, start and log', 'running');
    case 'show-updates':
      return tab('To the updates', 'updates');
    case 'start':
    case 'narrow':
      return tab('To stop, start and log', 'running');
    case 'show-schedules':
      return { words: 'To the schedules', href: p('/schedules') };
    case 'show-jobs':
      return { words: 'To the jobs', href: p('/jobs') };
    case 'show-tokens':
    case 'show-sessions':
      return { words: 'To who may come in', href: p('/service') };
    case 'learn-server':
      return tab('To the questions', 'learn');
    case 'show-addons':
      return tab('To the add-ons', 'add-ons');
    case 'survey':
    case 'take-in':
    case 'remove-copy':
      return tab('To the survey', 'survey');
    case 'show-files':
      return tab('To the files', 'files');
    case 'show-text':
    case 'show-texts':
    case 'rewrite-name':
    case 'set-text':
    case 'show-tweaks':
    case 'untweak':
      return tab('To the texts', 'texts');
    case 'show-history':
    case 'call-good':
    case 'show-deployments':
      return tab('To the timeline', 'timeline');
    case 'show-deployment':
    case 'run-deployment':
    case 'resume-deployment':
    case 'undo-deployment':
    case 'halt-deployment':
    case 'tick-deployment':
    case 'tick-unchecked':
    case 'roll-back': {
      const [name, number] = (r.on ?? '').split('#');
      return name && number
        ? { words: `To ${r.on}`, href: toDeployment({ server: name, number: Number(number) }) }
        : undefined;
    }
    case 'show-servers':
      return { words: 'To the desk', href: p('/') };
    case 'stage-archive':
    case 'show-crates':
      return { words: 'To staging', href: p('/staging') };
    case 'show-rulebooks':
    case 'add-rulebook':
      return { words: 'To the rulebooks', href: p('/rulebooks') };
    case 'show-rulebook':
      return r.on
        ? { words: 'To the rulebook', href: p('/rulebooks/:name', { params: { name: r.on } }) }
        : undefined;
  }
  return undefined;
}

/** The links of a list, each address once and none that leads to where one is. */
export function linksOf(remedies: Remedy[] | undefined, about: string | undefined, here: string): Link[] {
  const links = (remedies ?? []).map((r) => linkOf(r, about)).filter((l) => l !== undefined);
  return links.filter((l, i) => l.href !== here && links.findIndex((o) => o.href === l.href) === i);
}
