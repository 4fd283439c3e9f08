import { describe, expect, test } from 'vitest';
import { readFileSync } from 'node:fs';
import { pathAt, suggest, type Schema } from './suggest';

const schema = JSON.parse(readFileSync('../internal/core/rulebook/schema.json', 'utf8')) as Schema;
const keys = (text: string) => suggest(schema, text).all.map((s) => s.text);

describe('where the cursor stands', () => {
  test('at the root, in a mapping, in an element of a list', () => {
    expect(pathAt('format: 1\nna').path).toEqual([]);
    expect(pathAt('places:\n  stalls:\n    pa').path).toEqual(['places', 'stalls']);
    expect(pathAt('lists:\n  - file: a\n    fo').path).toEqual(['lists', undefined]);
    expect(pathAt('lists:\n  - file: a\n  - fo').path).toEqual(['lists', undefined]);
    expect(pathAt('kinds:\n  - name: x\n    root:\n      ma').path).toEqual(['kinds', undefined, 'root']);
  });
  test('what stands beside it already is known', () => {
    expect(pathAt('format: 1\nname: x\nti').used).toEqual(['name', 'format']);
  });
});

describe('what may be written', () => {
  test('keys of the root that are not there yet, with what they mean', () => {
    const got = keys('format: 1\nname: x\n');
    expect(got).toContain('title');
    expect(got).toContain('kinds');
    expect(got).not.toContain('format');
    expect(suggest(schema, 'format: 1\n').all.find((s) => s.text === 'name')).toMatchObject({ must: true });
  });
  test('values of a key that has few', () => {
    expect(keys('case: ')).toEqual(['exact', 'blind']);
    expect(keys('format: ')).toEqual(['1']);
  });
  test('keys deep in it, after comments and empty lines', () => {
    const got = keys('# about\nvariables:\n\n  world:\n    # what is asked\n    ');
    expect(got).toContain('ask');
    expect(got).toContain('default');
  });
  test('nothing where the schema says nothing', () => {
    expect(keys('title: ')).toEqual([]);
    expect(keys('nowhere:\n  ')).toEqual([]);
  });
});
