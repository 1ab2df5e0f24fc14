import { randomUUID } from 'node:crypto';
import type { Clock } from './clock.ts';
import type { Faults } from './faults.ts';
import type { Disk } from './disks.ts';
import { forgets } from './folders.ts';
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
  /** As its drives say them; of a guest, as its hypervisor was told. */
  diskSerials?: string[];
  macs: string[];
  linkGbit: number;
  firmware: string;
  /** Firmware of other parts, by identifier. */
  parts?: Record<string, string>;
  /** VLAN that its first adapter is set up to carry, and the switch at the other end. */
  vlan?: number;
  switch?: string;
  /** Percent of endurance left of its last drive. */
  lifeLeft?: number;
  watts?: number;
  /** It runs something already when the proving ground begins. */
  on?: boolean;
  /** Without one it is a guest, and its hypervisor speaks for it. */
  bmc?: { address: string; user: string; password: string; firmware: string };
}
export type Stage = 'off' | 'post' | 'fetch' | 'system' | 'images' | 'waiting' | 'joined';

export interface LogLine {
  at: string;
  severity: 'OK' | 'Warning' | 'Critical';
  text: string;
}
/** Long work of a controller: a firmware image being written, a drive being erased. */
export interface Task {
  id: number;
  what: string;
  percent: number;
  state: 'Running' | 'Completed' | 'Exception';
  text: string;
}
/** Authorities in PEM that a machine was given over its controller: for what firmware starts, for the medium that is played to it. */
export interface Trusted {
  boot: string[];
  media: string[];
  /** The controller checks who serves a medium. */
  verify: boolean;
}
/** What of a machine outlives a power cut. */
export interface Lasting {
  /** Of a guest, whose root lies on its first volume. */
  installed?: Installed | undefined;
  disks?: [string, Disk][];
  bootUri?: string | undefined;
  bootAlways?: boolean;
  bootTarget?: string;
  firmware?: Record<string, string>;
  media?: string | undefined;
  trusted?: Trusted;
  light?: boolean;
  log?: LogLine[];
}

/** One machine: power, boot source, and what runs on it. What lies on its disks survives a power cut, what is in memory does not. */
export class Machine {
  power: 'On' | 'Off' = 'Off';
  bootUri: string | undefined;
  bootTarget = 'None';
  /** The override stands until it is taken back (Continuous), not for one start (Once). */
  bootAlways = false;
  /** Where first-boot data comes from without a boot script: a guest is written from an image. */
  seed: string | undefined;
  installed: Installed | undefined;
  readonly disks = new Map<string, Disk>();
  stage: Stage = 'off';
  /** Another one at each start, as Linux draws it (random(4), boot_id). */
  bootId = '';
  light = false;
  media: string | undefined;
  trusted: Trusted = { boot: [], media: [], verify: false };
  log: LogLine[] = [];
  readonly tasks = new Map<number, Task>();
  /** Versions that stand, and those that a restart brings up. */
  readonly firmware: Record<string, string>;
  private readonly staged = new Map<string, string>();
  private running: AbortController | undefined;
  private readonly working = new AbortController();

  constructor(
    readonly hardware: Hardware,
    readonly clock: Clock,
    readonly faults: Faults,
    readonly around: Surroundings,
    private readonly changed: () => void,
  ) {
    this.firmware = { system: hardware.firmware, bmc: hardware.bmc?.firmware ?? '', ...hardware.parts };
  }

  lasting = (): Lasting => ({
    installed: this.hardware.bmc ? undefined : this.installed,
    disks: [...this.disks],
    bootUri: this.bootUri,
    bootAlways: this.bootAlways,
    bootTarget: this.bootTarget,
    firmware: this.firmware,
    media: this.media,
    trusted: this.trusted,
    light: this.light,
    log: this.log,
  });
  restore(l: Lasting): void {
    this.installed = l.installed;
    for (const [serial, disk] of l.disks ?? []) this.disks.set(serial, disk);
    this.bootUri = l.bootUri;
    this.bootAlways = l.bootAlways ?? false;
    this.bootTarget = l.bootTarget ?? 'None';
    this.media = l.media;
    if (l.trusted) this.trusted = l.trusted;
    this.light = l.light ?? false;
    this.log = l.log ?? [];
    Object.assign(this.firmware, l.firmware);
  }

  note(text: string, severity: LogLine['severity'] = 'OK'): void {
    this.log = [...this.log.slice(-199), { at: new Date().toISOString(), severity, text }];
    this.changed();
  }

  setBoot(target: string, uri?: string, always = false): void {
    this.bootTarget = target;
    this.bootUri = target === 'UefiHttp' ? uri : undefined;
    this.bootAlways = always;
    this.changed();
  }
  setMedia(image: string | undefined): void {
    this.media = image;
    this.note(image ? `virtual media inserted: ${image}` : 'virtual media ejected');
  }
  trust(change: Partial<Trusted>): void {
    this.trusted = { ...this.trusted, ...change };
    this.changed();
  }
  setLight(on: boolean): void {
    this.light = on;
    this.changed();
  }

  /** Serials of its drives, in the order of their bays. */
  get serials(): string[] {
    return this.hardware.diskSerials ?? this.hardware.disksGB.map((_, i) => `${this.hardware.serial}-D${i + 1}`);
  }

  powerOff(): void {
    if (this.hardware.bmc) this.installed = undefined;
    this.running?.abort();
    this.running = undefined;
    if (this.power === 'On') this.note('power off');
    this.power = 'Off';
    this.stage = 'off';
    this.around.cluster.left(this);
    this.changed();
  }

  /** The lock of its program for files is held. */
  putting = false;

  /** The button (ACPI): a system that runs shuts down within a few seconds; where none runs, nobody hears it. */
  shutDown(): void {
    const { running } = this;
    if (!running || ['post', 'fetch'].includes(this.stage) || this.faults.has('node-hangs', this.hardware.name)) return;
    void this.clock.sleep(20, running.signal).then(
      () => this.powerOff(),
      () => undefined,
    );
  }

  powerOn(): void {
    if (this.power === 'On') return;
    this.power = 'On';
    this.bootId = randomUUID();
    for (const [part, version] of this.staged) this.firmware[part] = version;
    this.staged.clear();
    this.note('power on');
    const running = new AbortController();
    this.running = running;
    this.changed();
    runNode(this, running.signal).catch((e: Error) => {
      // Power was cut, or the boot came to nothing: the machine stands there as a real one would, and its console says why.
      if (!running.signal.aborted) this.note(`stands still: ${e.message}`);
    });
  }

  at(stage: Stage): void {
    this.stage = stage;
    this.changed();
  }

  /** Writes an image to a part; the version is what its file name ends with. Some come up at the next power-on only. */
  update(part: string, image: string): Task {
    const version = /(\d+(?:\.\d+)+)(?:\.[a-z]+)?$/i.exec(new URL(image).pathname)?.[1];
    return this.work(`update of ${part}`, 240, () => {
      if (!version || !Object.hasOwn(this.firmware, part)) throw new Error('the image is not for this machine');
      if (part === 'bmc') this.firmware.bmc = version;
      else this.staged.set(part, version);
      return `${part} ${version} written${part === 'bmc' ? '' : '; it comes up at the next start'}`;
    });
  }
  erase(drive: number): Task {
    return this.work(`erase of bay ${drive}`, 600, () => {
      const disk = this.disks.get(this.serials[drive - 1] ?? '');
      if (disk) forgets(this, disk);
      this.disks.delete(this.serials[drive - 1] ?? '');
      return 'erased';
    });
  }
  /** Long work: a tenth of it at a time, unless it is stuck. */
  private work(what: string, seconds: number, done: () => string): Task {
    const task: Task = { id: this.tasks.size + 1, what, percent: 0, state: 'Running', text: `${what} begun` };
    this.tasks.set(task.id, task);
    this.note(task.text);
    void (async () => {
      for (let i = 1; i <= 10; i++) {
        do await this.clock.sleep(seconds / 10, this.working.signal);
        while (i > 3 && this.faults.has('firmware-stuck', this.hardware.name));
        task.percent = i * 10;
      }
      try {
        task.text = done();
        task.state = 'Completed';
        this.note(`${what}: ${task.text}`);
      } catch (e) {
        task.state = 'Exception';
        task.text = (e as Error).message;
        this.note(`${what}: ${task.text}`, 'Critical');
      }
    })().catch(() => undefined);
    return task;
  }

  close(): void {
    this.working.abort();
    this.running?.abort();
  }
}
