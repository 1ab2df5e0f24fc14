import { describe, expect, it } from 'vitest';
import { host } from '../../test/estate.ts';
import { type Facts, type Host, kinds } from '../model/index.ts';
import { firmwareLines, firmwarePlan } from './index.ts';

const baseline = kinds.Baseline.parse({
  kind: 'Baseline',
  name: 'hw-220',
  model: 'HW-220',
  parts: [
    {
      part: 'nic-1',
      atLeast: '22.31',
      to: '22.36',
      after: ['system'],
      reboot: true,
      minutes: 4,
      image: 'https://files.kestrelferries.example/nic-22.36.bin',
    },
    {
      part: 'system',
      atLeast: '2.19',
      below: '3',
      to: '2.21',
      after: ['bmc'],
      reboot: true,
      minutes: 10,
      image: 'https://files.kestrelferries.example/system-2.21.bin',
    },
    { part: 'bmc', atLeast: '4.10', minutes: 6, image: 'https://files.kestrelferries.example/bmc-4.10.bin' },
  ],
});
const at = (bmc: string, system: string, nic?: string, more: Partial<Host> = {}) =>
  host(1, {
    facts: {
      ...(host(1).facts as Facts),
      firmware: { bmc, system, ...(nic ? { parts: [{ id: 'nic-1', name: 'adapter', version: nic }] } : {}) },
    },
    ...more,
  });

describe('the firmware plan of a host', () => {
  it('is ordered by what must come first, with the restarts that it takes', () => {
    const p = firmwarePlan(at('4.2', '2.9', '22.1'), [baseline]);
    expect(p.steps.map((s) => [s.part, s.from, s.to, s.reboot])).toEqual([
      ['bmc', '4.2', '4.10', false],
      ['system', '2.9', '2.21', true], // nic-1 waits for it
      ['nic-1', '22.1', '22.36', true],
    ]);
    expect([p.reboots, p.minutes]).toEqual([2, 6 + 10 + 5 + 4 + 5]);
    expect(p.refused).toBeUndefined();
  });
  it('is empty at the baseline, and leaves out what the host does not have', () => {
    expect(firmwarePlan(at('4.10', '2.21'), [baseline]).steps).toEqual([]);
    expect(firmwareLines(at('4.10', '2.21').facts as Facts, baseline).map((l) => l.part)).toEqual(['system', 'bmc']);
  });
  it('a version beyond the range is not at the baseline either', () => {
    expect(firmwarePlan(at('4.10', '3.1'), [baseline]).steps).toMatchObject([{ part: 'system', from: '3.1', to: '2.21' }]);
  });
  it.each([
    [at('4.2', '2.9', undefined, { state: 'serving' }), 'it serves; drain it first'],
    [at('4.2', '2.9', undefined, { state: 'retired' }), 'it is retired'],
    [
      at('4.2', '2.9', undefined, { bmc: { address: '10.62.7.11', credential: 'x' } }),
      'its controller has no accepted certificate',
    ],
  ])('is refused: %#', (h, why) => {
    expect(firmwarePlan(h, [baseline]).refused).toBe(why);
  });
  it('a host that serves is taken when it is drained; one without facts or baseline is told', () => {
    expect(firmwarePlan(at('4.2', '2.9', undefined, { state: 'serving', drained: true }), [baseline]).refused).toBeUndefined();
    expect(firmwarePlan(host(1), []).refused).toBe('no baseline is declared for HW-220');
    const { facts: _, ...bare } = host(1);
    expect(firmwarePlan(bare as Host, [baseline]).refused).toBe('its facts have not been read');
  });
  it('an order that goes round is refused with the part', () => {
    const round = {
      ...baseline,
      parts: [
        { part: 'bmc', atLeast: '5', after: ['system'], reboot: false, minutes: 1 },
        { part: 'system', atLeast: '5', after: ['bmc'], reboot: true, minutes: 1 },
      ],
    };
    expect(() => firmwarePlan(at('4.2', '2.9'), [round])).toThrow('baseline hw-220: bmc comes after itself');
  });
  it('a baseline that names only a system version asks for that', () => {
    const plain = kinds.Baseline.parse({ kind: 'Baseline', name: 'b', model: 'HW-220', system: '2.22' });
    expect(firmwarePlan(at('4.10', '2.21'), [plain])).toMatchObject({
      refused: 'the baseline names no image for system 2.22',
      steps: [{ part: 'system', reboot: true }],
    });
  });
});
