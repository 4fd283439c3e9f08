import { expect, it } from 'vitest';
import { named } from './starter';

it('gives a starter the name and the title of a game, and leaves the rest', () => {
  const s = {
    name: 'lists',
    about: '',
    text: 'format: 1\nname: lists\ntitle: Your game\nkinds:\n  - name: lists\n'
  };
  expect(named(s, 'reed', 'Reed "and" $& Bank')).toBe(
    'format: 1\nname: reed\ntitle: "Reed \\"and\\" $& Bank"\nkinds:\n  - name: lists\n'
  );
});
