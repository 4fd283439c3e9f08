// @vitest-environment happy-dom
import { expect, test } from 'vitest';
import { deedOf } from './deeds';

test('what is done at once has no address, and what is read has one', () => {
  const need = { kind: 'by-hand', server: 'mossgrave' } as const;
  expect(deedOf({ do: 'tick-deployment', on: 'mossgrave#2' }, need)).toEqual({
    words: 'It is done',
    does: 'tick',
    on: 'mossgrave#2'
  });
  expect(deedOf({ do: 'show-deployment', on: 'mossgrave#2' }, need)).toEqual({
    words: 'Read mossgrave#2',
    href: '/servers/mossgrave/deployments/2',
    on: 'mossgrave#2'
  });
});

test('a deed that is about the server of the thing leads there', () => {
  const deed = deedOf({ do: 'survey' }, { kind: 'changed', server: 'saltpan' });
  expect(deed?.href).toBe('/servers/saltpan/survey');
  expect(deedOf({ do: 'start-service' }, { kind: 'down', server: 'saltpan' })).toBeUndefined();
});
