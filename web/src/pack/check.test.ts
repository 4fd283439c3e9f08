import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { expect, test } from 'vitest';
import { check, stem, type Own, type PackEntry, type Packlist } from './check';

const hash = (text: string) => bytesToHex(sha256(utf8ToBytes(text)));
const file = (path: string, text: string) => ({ path, size: text.length, sha256: hash(text) });
let reads = 0;
const own = (path: string, text: string): Own => ({
  path,
  size: text.length,
  sha256: () => {
    reads++;
    return Promise.resolve(hash(text));
  }
});
const entry = (name: string, need: PackEntry['need'], more: Partial<PackEntry> = {}): PackEntry => ({
  name,
  need,
  ...more
});
const list = (...entries: PackEntry[]) => ({ title: 'x', game: 'x', text: '', entries }) as Packlist;

const lamps = entry('tide-lamps', 'must', {
  version: '2.0',
  files: [file('fixtures/tide-lamps-2.0.tdx', 'lamps two')],
  old: [file('fixtures/tide-lamps-1.0.tdx', 'lamps one')]
});

test('what is missing is added, an older one is replaced, and what is right is left', async () => {
  const deeds = async (...mine: Own[]) =>
    (await check(list(lamps), mine)).deeds.map((d) => [d.what, ...d.own]);
  expect(await deeds()).toEqual([['add']]);
  expect(await deeds(own('mine/whatever it is called.tdx', 'lamps two'))).toEqual([]);
  expect(await deeds(own('fixtures/renamed.tdx', 'lamps one'))).toEqual([
    ['replace', 'fixtures/renamed.tdx']
  ]);
  expect(await deeds(own('fixtures/tide-lamps-2.0.tdx', 'cut short'))).toEqual([
    ['replace', 'fixtures/tide-lamps-2.0.tdx']
  ]);
  expect(await deeds(own('fixtures/tide-lamps-1.5.tdx', 'one that nobody knows'))).toEqual([
    ['replace', 'fixtures/tide-lamps-1.5.tdx']
  ]);
  expect(
    await deeds(own('a/tide-lamps-2.0.tdx', 'lamps two'), own('a/tide-lamps-1.0.tdx', 'lamps one'))
  ).toEqual([['remove', 'a/tide-lamps-1.0.tdx']]);
});

test('what must not be there is known by its name and by its bytes', async () => {
  const ghost = entry('Ghost Lamps', 'must-not');
  const found = await check(list(ghost), [
    own('mods/ghost_lamps-3.1.jar', 'x'),
    own('mods/lamps.jar', 'x'),
    own('mods/ghostlampshade.jar', 'x')
  ]);
  expect(found.deeds.map((d) => d.own)).toEqual([['mods/ghost_lamps-3.1.jar']]);
  const known = entry('whatever', 'must-not', { old: [file('y', 'evil')] });
  expect((await check(list(known), [own('z', 'evil')])).deeds[0]?.own).toEqual(['z']);
});

test('what may be there is only told of, and an outdated one is replaced', async () => {
  const may = { ...lamps, need: 'may' as const };
  expect((await check(list(may), [])).could).toHaveLength(1);
  expect((await check(list(may), [own('x', 'lamps one')])).deeds[0]?.what).toBe('replace');
  expect((await check(list(may), [own('x', 'lamps two')])).right).toHaveLength(1);
});

test('of an add-on of many files the names that all have tell nothing', async () => {
  const port = entry('port', 'must', {
    files: [file('ports/port/table.toml', 'port'), file('ports/port/a.bin', 'aaa')]
  });
  const foreign = [own('ports/other/table.toml', 'others'), own('ports/other/a.bin', 'bbb')];
  expect((await check(list(port), foreign)).deeds[0]).toMatchObject({ what: 'add', own: [] });
  const half = [own('ports/port/table.toml', 'port'), own('ports/port/a.bin', 'wrong')];
  expect((await check(list(port), half)).deeds[0]).toMatchObject({
    what: 'replace',
    own: ['ports/port/a.bin'],
    missing: ['ports/port/a.bin']
  });
});

test('only what could be of the list is read', async () => {
  reads = 0;
  const found = await check(list(lamps), [
    own('huge.pak', 'far longer than that'),
    own('fixtures/tide-lamps-2.0.tdx', 'lamps two')
  ]);
  expect([reads, found.files, found.read]).toEqual([1, 2, 1]);
});

test('a version behind a name is no part of it', () => {
  for (const name of [
    'tide-lamps-2.1.0.tdx',
    'Tide Lamps v3.tdx',
    'mods/tide_lamps 2.0-beta.1.tdx',
    'TIDE-LAMPS.tdx'
  ])
    expect(stem(name)).toBe('tidelamps');
  expect(stem('area51.jar')).not.toBe('areaarea');
});
