import type { Clock } from './clock.ts';
import type { Faults } from './faults.ts';
import { type Installed, runNode } from './node.ts';
import type { Surroundings } from './world.ts';

export interface Hardware {
  name: string;
  hostName?: string;
  rack?: string;
  unit?: number;
  maker: string;
  model: string;
  serial: string;
  cores: number;
  memoryGiB: number;
  disksGB: number[];
  macs: string[];
  linkGbit: number;
  firmware: string;
  bmc: { address: string; user: string; password: string; firmware: string };
}
export type Stage = 'off' | 'post' | 'fetch' | 'system' | 'images' | 'waiting' | 'joined';

/** One machine: power, boot source, and what runs on it. What was installed survives a power cut. */
export class Machine {
  power: 'On' | 'Off' = 'Off';
  bootUri: string | undefined;
  installed: Installed | undefined;
  stage: Stage = 'off';
  private running: AbortController | undefined;

  constructor(
    readonly hardware: Hardware,
    readonly clock: Clock,
    readonly faults: Faults,
    readonly around: Surroundings,
    private readonly changed: () => void,
  ) {}

  setBoot(uri: string): void {
    this.bootUri = uri;
    this.changed();
  }

  powerOff(): void {
    this.running?.abort();
    this.running = undefined;
    this.power = 'Off';
    this.stage = 'off';
    this.around.cluster.left(this);
    this.changed();
  }

  powerOn(): void {
    if (this.power === 'On') return;
    this.power = 'On';
    const running = new AbortController();
    this.running = running;
    this.changed();
    runNode(this, running.signal).catch(() => {
      /* power was cut, or the boot came to nothing: the machine stands there as a real one would */
    });
  }

  at(stage: Stage): void {
    this.stage = stage;
    this.changed();
  }
}
