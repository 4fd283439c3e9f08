import { expect, test } from 'vitest';
import type { FolderRow } from '../api/client';
import { foldersOf, ownerOf, treeRows } from './tree';

const folder = (name: string): FolderRow => ({ name, folder: true, size: 0, files: 2 });
const file = (name: string): FolderRow => ({ name, folder: false, size: 1 });

test('what is open is followed by what is in it, and what has not come yet says so', () => {
  const known = new Map([
    ['', [folder('a'), folder('b'), file('z')]],
    ['a', [folder('inner'), file('x')]]
  ]);
  const rows = treeRows(known, new Set(['a', 'a/inner', 'b/hidden']));
  expect(rows.map((r) => [r.path, r.depth, r.coming])).toEqual([
    ['a', 0, false],
    ['a/inner', 1, true],
    ['a/x', 1, false],
    ['b', 0, false],
    ['z', 0, false]
  ]);
});

test('a path is seen once the folders on the way to it are open', () => {
  expect(foldersOf('a/b/c.txt')).toEqual(['a', 'a/b']);
  expect(foldersOf('c.txt')).toEqual([]);
});

test('what nobody deployed is told as that', () => {
  expect(ownerOf(file('x'))).toBe('nobody deployed it');
  expect(ownerOf({ ...folder('x'), files: 0 })).toBe('nobody deployed it');
});
