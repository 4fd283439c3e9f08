import { describe, expect, it } from 'vitest';
import type { Control } from '../api/client';
import { blankControl, controlOf, saidControl } from './control';

const full: Control = {
  acts: {
    stop: { by: 'command', command: 'kill it' },
    start: {
      by: 'http',
      http: {
        method: 'POST',
        url: 'http://panel/start',
        headers: { 'X-Key': '{secret:panel}' },
        body: '{}',
        expect: 'ok'
      }
    },
    restart: { by: 'hand', command: 'Press Restart.' }
  },
  probes: [
    { by: 'port', address: 'host:7000' },
    { by: 'command', command: 'pgrep fair' },
    { by: 'http', http: { method: 'GET', url: 'http://panel/state', expect: '"on"' }, stopped: '"off"' }
  ],
  rcon: 'host:7001',
  stopWithin: 20,
  readyWithin: 90,
  warn: [{ seconds: 30, line: 'say closing in {seconds}' }]
};

describe('how a server is controlled', () => {
  it('comes out of the form as it went in', () => {
    expect(saidControl(controlOf(full)).control).toEqual(full);
  });
  it('is nothing where nothing is filled in', () => {
    expect(saidControl(blankControl()).control).toEqual({});
    expect(saidControl(controlOf({})).control).toEqual({});
  });
  it('leaves out what does not belong to the way that was chosen', () => {
    const form = controlOf(full);
    form.acts.stop.by = '';
    form.acts.start.by = 'rcon';
    form.acts.start.command = ' open ';
    form.probes[2]!.by = 'rcon';
    const said = saidControl(form).control;
    expect(said.acts).toEqual({
      start: { by: 'rcon', command: 'open' },
      restart: { by: 'hand', command: 'Press Restart.' }
    });
    expect(said.probes?.[2]).toEqual({ by: 'rcon' });
  });
  it('says which secrets are meant and sends only those that were typed', () => {
    const form = controlOf(full);
    expect(form.secrets.map((s) => s.name)).toEqual(['rcon', 'panel']);
    form.secrets[1]!.value = 'hush';
    expect(saidControl(form).secrets).toEqual({ panel: 'hush' });
  });
  it('finds the secrets that are meant while it is filled in', () => {
    const form = blankControl();
    form.acts.say = {
      ...form.acts.say,
      by: 'http',
      headers: 'X-Key: {secret:panel}\nX-Other: {secret:other}'
    };
    expect(saidControl(form).meant).toEqual(['panel', 'other']);
  });
});
