import { describe, expect, it } from 'vitest';
import { chosenFolders } from './pick';

function file(path: string): File {
  const f = new File(['x'], path.split('/').at(-1)!);
  Object.defineProperty(f, 'webkitRelativePath', { value: path });
  return f;
}

describe('chosen folders', () => {
  it('make one archive for each topmost folder', () => {
    const picks = chosenFolders([
      file('drum-tent/stall.lf'),
      file('songs/reel.tune'),
      file('drum-tent/wares/kettle.lf')
    ]);
    expect(picks.map((p) => p.filename)).toEqual(['drum-tent.tar', 'songs.tar']);
    // Two entries of header and body, then the two closing blocks.
    expect(picks[0]!.body.size).toBe(6 * 512);
    expect(picks[1]!.body.size).toBe(4 * 512);
  });
});
