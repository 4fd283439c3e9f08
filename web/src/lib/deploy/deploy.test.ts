// @vitest-environment happy-dom
import { flushSync, mount, unmount, type Component } from 'svelte';
import { afterEach, describe, expect, it } from 'vitest';
import type { Deployment, Finding, Step } from '../api/client';
import Findings from './Findings.svelte';
import Phases from './Phases.svelte';

let mounted: Record<string, unknown> | undefined;

/** Draws a component and gives the page. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- a component with any bindings
function draw<P extends Record<string, unknown>>(component: Component<P, any, any>, props: P): HTMLElement {
  mounted = mount(component, { target: document.body, props });
  flushSync();
  return document.body;
}

afterEach(() => {
  if (mounted) void unmount(mounted);
  document.body.innerHTML = '';
});

const finding = (level: Finding['level'], code: string, path = '', final = false): Finding => ({
  level,
  code,
  path,
  what: `${code} ${path}`,
  final
});

const deployment = (d: Partial<Deployment>) =>
  ({ state: 'draft', findings: [], accepted: [], steps: [], ...d }) as unknown as Deployment;

const texts = (page: HTMLElement, selector: string) =>
  [...page.querySelectorAll(selector)].map((e) => e.textContent?.replace(/\s+/g, ' ').trim());

describe('findings', () => {
  it('are told worst first, and each block is a decision of its own', () => {
    const d = deployment({
      findings: [
        finding('note', 'already-there'),
        finding('warn', 'may-be-running'),
        finding('block', 'unknown-file', 'a')
      ]
    });
    const page = draw(Findings, { deployment: d, accepted: {} });
    expect(texts(page, '.level')).toEqual(['block', 'warn', 'note']);
    expect(texts(page, 'label')).toEqual(['I accept this']);
  });

  it('cannot be accepted where a guarantee would break', () => {
    const d = deployment({ findings: [finding('block', 'protected', 'harbour.key', true)] });
    const page = draw(Findings, { deployment: d, accepted: {} });
    expect(page.textContent).toContain('cannot be accepted');
    expect(page.querySelectorAll('label')).toHaveLength(0);
  });

  it('fold what is only told, never what blocks', () => {
    const blocks = Array.from({ length: 8 }, (_, i) => finding('block', 'unknown-file', `f${i}`));
    const notes = Array.from({ length: 4 }, (_, i) => finding('note', 'already-there', `n${i}`));
    const page = draw(Findings, {
      deployment: deployment({ findings: [...notes, ...blocks] }),
      accepted: {}
    });
    expect(page.querySelectorAll('[data-finding="unknown-file"]')).toHaveLength(8);
    expect(page.querySelectorAll('[data-finding="already-there"]')).toHaveLength(0);
    expect(texts(page, 'button.quiet')).toEqual(['4 more', 'Accept all 8 blocks']);
    [...page.querySelectorAll<HTMLButtonElement>('button.quiet')][0]!.click();
    flushSync();
    expect(page.querySelectorAll('[data-finding="already-there"]')).toHaveLength(4);
  });

  it('say who accepted', () => {
    const d = deployment({
      state: 'done',
      findings: [finding('block', 'unknown-file', 'a')],
      accepted: [{ code: 'unknown-file', by: 'owner' }]
    });
    const page = draw(Findings, { deployment: d, accepted: {} });
    expect(page.textContent).toContain('accepted by owner');
  });
});

describe('phases', () => {
  const step = (id: number, phase: Step['phase'], done: number): Step => ({
    id,
    leg: id > 90 ? 2 : 1,
    phase,
    verb: 'put',
    path: `p${id}`,
    reason: 'new',
    motions: 2,
    done
  });

  it('stamp the steps that are done and mark the one that is under way', () => {
    const d = deployment({
      state: 'running',
      steps: [step(1, 'prepare', 2), step(2, 'prepare', 1), step(3, 'swap', 0)]
    });
    const page = draw(Phases, { deployment: d, at: 2 });
    expect(texts(page, '.stamped')).toEqual(['done']);
    expect(page.querySelector('[aria-current="step"]')?.getAttribute('data-step')).toBe('2');
    expect(
      [...page.querySelectorAll('[role="progressbar"]')].map((b) => b.getAttribute('aria-valuenow'))
    ).toEqual(['75', '0']);
  });

  it('stamp nothing in a draft', () => {
    const d = deployment({ steps: [step(1, 'prepare', 0)] });
    const page = draw(Phases, { deployment: d, at: 0 });
    expect(page.querySelectorAll('.stamped')).toHaveLength(0);
    expect(page.textContent).toContain('1 step');
  });

  it('draw the first sixty of many, and all on demand', () => {
    const steps = Array.from({ length: 75 }, (_, i) => ({
      ...step(i + 1, 'prepare', 0),
      reason: `reason ${i}`
    }));
    const page = draw(Phases, { deployment: deployment({ steps }), at: 0 });
    expect(page.querySelectorAll('[data-step]')).toHaveLength(60);
    page.querySelector<HTMLButtonElement>('button.quiet')!.click();
    flushSync();
    expect(page.querySelectorAll('[data-step]')).toHaveLength(75);
  });

  it('tell what is done to many files for one reason in one line, which opens', () => {
    const wares = Array.from({ length: 70 }, (_, i) => ({
      ...step(i + 1, 'prepare', i < 20 ? 2 : 0),
      path: `stalls/drum/wares/${i}`,
      bytes: 100
    }));
    const alone = { ...step(80, 'prepare', 0), path: 'stalls/drum/stall.lf', reason: 'changed' };
    const d = deployment({ state: 'running', steps: [...wares.slice(0, 3), alone, ...wares.slice(3)] });
    const page = draw(Phases, { deployment: d, at: 21 });
    expect(texts(page, '[data-fold] > button')).toEqual(['put +70 files in stalls/drum/wares/ new 20 of 70']);
    expect(page.querySelectorAll('[data-step]')).toHaveLength(1);
    page.querySelector<HTMLButtonElement>('[data-fold] > button')!.click();
    flushSync();
    expect(page.querySelectorAll('[data-step]')).toHaveLength(61);
    expect(page.querySelector('[aria-current="step"]')?.getAttribute('data-step')).toBe('21');
    page.querySelector<HTMLButtonElement>('button.quiet')!.click();
    flushSync();
    expect(page.querySelectorAll('[data-step]')).toHaveLength(71);
  });
});
