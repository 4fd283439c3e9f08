import { expect, test } from 'vitest';
import { policyOf } from './policy';

test('what is empty says nothing, and units are those of the service', () => {
  expect(policyOf('', '', '')).toEqual({});
  expect(policyOf('2', '3', '5')).toEqual({ olderThan: 172_800_000, versions: 3, below: 5_000_000 });
});
