import { describe, expect, it } from 'vitest';
import { valueBack } from './compare';

describe('a value goes back', () => {
  it('is set to what it was, made where it is gone, dropped where it was not there', () => {
    const tweak = (v: Parameters<typeof valueBack>[1]) => valueBack('a.yaml', v, 'after x#1').tweak!;
    expect(tweak({ at: '/loud', was: '3', is: '5' })).toEqual({
      do: 'set',
      at: '/loud',
      value: '3',
      make: undefined
    });
    expect(tweak({ at: '/old', was: '1', is: '', gone: true }).make).toBe(true);
    expect(tweak({ at: '/new', was: '', is: '1', new: true })).toEqual({ do: 'drop', at: '/new' });
  });
});
