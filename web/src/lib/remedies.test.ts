// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest';
import { linkOf, linksOf } from './remedies';

describe('what would help', () => {
  it('is a link to where it is done, of the server that it is about', () => {
    expect(linkOf({ do: 'set-control' }, 'saltpan')).toEqual({
      words: 'To stop, start and log',
      href: '/servers/saltpan/running'
    });
    expect(linkOf({ do: 'test-server', on: 'fair' }, 'saltpan')?.href).toBe('/servers/fair/about');
    expect(linkOf({ do: 'resume-deployment', on: 'fair#7' })?.href).toBe('/servers/fair/deployments/7');
  });

  it('has no link where nobody knows to where, or what is done beside the finding', () => {
    expect(linkOf({ do: 'test-server' })).toBeUndefined();
    expect(linkOf({ do: 'resume-deployment' }, 'saltpan')).toBeUndefined();
    expect(linkOf({ do: 'name-crate', with: 'version' })).toBeUndefined();
    expect(linkOf({ do: 'what a later service may name' }, 'saltpan')).toBeUndefined();
  });

  it('leads to each page once, and never to the one that is open', () => {
    const both = [
      { do: 'forget-key', on: 'saltpan' },
      { do: 'test-server', on: 'saltpan' }
    ];
    expect(linksOf(both, 'saltpan', '/servers/saltpan/add-ons')).toHaveLength(1);
    expect(linksOf(both, 'saltpan', '/servers/saltpan/about')).toHaveLength(0);
    expect(linksOf(undefined, 'saltpan', '/')).toEqual([]);
  });
});
