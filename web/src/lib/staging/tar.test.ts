// @vitest-environment node
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { pack } from './tar';

const dir = mkdtempSync(join(tmpdir(), 'restless-tar-'));
afterAll(() => rmSync(dir, { recursive: true }));

/** Unpacks with the machine's tar and reads one file. */
async function unpacked(blob: Blob, path: string): Promise<string> {
  const file = join(dir, 'x.tar');
  writeFileSync(file, Buffer.from(await blob.arrayBuffer()));
  execFileSync('tar', ['-xf', file, '-C', dir]);
  return readFileSync(join(dir, path), 'utf8');
}

const of = (path: string, body: string) => ({ path, file: new Blob([body]) });

describe('a folder as a tar', () => {
  it('is read by another program, byte for byte', async () => {
    const blob = pack([of('tent/stall.lf', 'title = "x"\n'), of('tent/wares/kettle.lf', 'k'.repeat(1000))]);
    expect(await unpacked(blob, 'tent/stall.lf')).toBe('title = "x"\n');
    expect(await unpacked(blob, 'tent/wares/kettle.lf')).toBe('k'.repeat(1000));
  });

  it.each([
    ['a name of a hundred bytes', `tent/${'a'.repeat(95)}`],
    ['a name of a hundred and one', `tent/${'a'.repeat(96)}`],
    ['a name whose pax record has three digits just so', `tent/${'b'.repeat(84)}/c`],
    ['folders down to three hundred', `${'deep/'.repeat(59)}file.lf`],
    ['letters beyond ASCII', 'tent/Blåbær 秋.lf']
  ])('keeps %s', async (_, path) => {
    expect(await unpacked(pack([of(path, 'here')]), path)).toBe('here');
  });

  it('does not depend on the order in which files were found', async () => {
    const a = of('t/a', '1');
    const b = of('t/b', '2');
    const bytes = async (blob: Blob) => Buffer.from(await blob.arrayBuffer()).toString('hex');
    expect(await bytes(pack([b, a]))).toBe(await bytes(pack([a, b])));
  });
});
