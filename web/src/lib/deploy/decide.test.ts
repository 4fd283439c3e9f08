// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest';
import { choicesOf } from './decide';

describe('choices', () => {
  it('are made of what a finding says would help, in the words of buttons', () => {
    expect(
      choicesOf([
        { do: 'take-needs', with: 'rope-lore@1.3 hook@1' },
        { do: 'instead-of', with: 'old-gallery' },
        { do: 'leave-out', with: 'torches' },
        { do: 'rewrite-along', with: 'old-gallery gallery' },
        { do: 'show-server', on: 'mossgrave' }
      ])
    ).toEqual([
      { words: 'Take rope-lore@1.3, hook@1 along', decision: { takeNeeds: true } },
      { words: 'Take old-gallery off the server', decision: { insteadOf: ['old-gallery'] } },
      { words: 'Leave torches out', decision: { leaveOut: ['torches'] } },
      {
        words: 'Change old-gallery to gallery in texts',
        decision: { rewrite: [{ from: 'old-gallery', to: 'gallery' }] }
      }
    ]);
    expect(choicesOf(undefined)).toEqual([]);
  });
});
