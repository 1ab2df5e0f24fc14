/** What can be planted, and on what. A new fault is a line here and the place that asks for it. */
export const faultKinds = {
  'bmc-silent': { on: 'machine', title: 'BMC silent', text: 'the management controller takes connections and never answers' },
  'bmc-certificate': {
    on: 'machine',
    title: 'BMC shows another certificate',
    text: 'as after a replaced board, or somebody in between',
  },
  'bmc-password': { on: 'machine', title: 'BMC refuses the password', text: 'every request is answered with 401' },
  'bmc-slow': { on: 'machine', title: 'BMC takes 30 seconds', text: 'every answer comes half a minute late' },
  'bmc-nonsense': { on: 'machine', title: 'BMC answers nonsense', text: 'its documents are not what Redfish says' },
  'bmc-half': { on: 'machine', title: 'BMC gives half the facts', text: 'drives and firmware inventory are answered with 500' },
  'bmc-dies': {
    on: 'machine',
    title: 'BMC dies while it is asked',
    text: 'the connection is cut at its third answer, and it is silent from then on',
  },
  'firmware-stuck': { on: 'machine', title: 'Firmware task stuck', text: 'a task of the controller stays at 30 %' },
  'hypervisor-memory': { on: 'hypervisor', title: 'Hypervisor out of memory', text: 'no guest can be started' },
  'hypervisor-disk': { on: 'hypervisor', title: 'Hypervisor out of disk', text: 'no volume can be made' },
  'hypervisor-silent': { on: 'hypervisor', title: 'Hypervisor silent', text: 'its driver takes connections and never answers' },
  'node-never-boots': { on: 'machine', title: 'Node never boots', text: 'power comes on and nothing is ever fetched' },
  'node-hangs': { on: 'machine', title: 'Node does not shut down', text: 'it is told to shut down, and goes on' },
  'node-dies-pulling': {
    on: 'machine',
    title: 'Node dies while pulling images',
    text: 'power goes off after a third of the images',
  },
  'clock-wrong': { on: 'machine', title: 'Clock is wrong', text: 'the clock of its system is ten minutes ahead' },
  'ssh-silent': { on: 'machine', title: 'SSH silent', text: 'its system takes connections at TCP port 22 and never answers' },
  'disk-not-empty': {
    on: 'machine',
    title: 'Disk is not empty',
    text: 'its last drive holds partitions of somebody else when it is laid out next',
  },
  'registry-drops': {
    on: 'registry',
    title: 'Registry drops connections',
    text: 'of each client the first blob asked for and every fourth after it are cut off half-way, each once',
  },
  'registry-name': {
    on: 'registry',
    title: 'Registry certificate for another name',
    text: 'the certificate shown names another host',
  },
  'registry-expired': {
    on: 'registry',
    title: 'Registry certificate ended',
    text: 'the certificate shown ended yesterday, and connections are closed so that it is seen',
  },
  'registry-silent': { on: 'registry', title: 'Registry silent', text: 'it takes connections and never answers' },
  'registry-full': { on: 'registry', title: 'Registry disk full', text: 'every upload is answered with 507' },
  'registry-busy': {
    on: 'registry',
    title: 'Registry asks to come again later',
    text: 'every third request is answered with 429 or 503 and Retry-After, each once',
  },
  'registry-cuts-uploads': {
    on: 'registry',
    title: 'Registry drops uploads',
    text: 'the first upload and every fourth after it are cut in the middle',
  },
  'registry-corrupts': { on: 'registry', title: 'Registry serves a wrong byte', text: 'one byte of every tenth blob is changed' },
  'api-silent': { on: 'cluster', title: 'API silent', text: 'API servers of the cluster take connections and never answer' },
  'time-wrong': { on: 'time server', title: 'Time server is wrong', text: 'its clock is ten minutes ahead of all others' },
  'time-silent': { on: 'time server', title: 'Time server silent', text: 'it is asked and never answers' },
  'store-silent': { on: 'store', title: 'Object store silent', text: 'it takes connections and never answers' },
  'store-full': { on: 'store', title: 'Object store full', text: 'whatever is put there is answered with 507' },
  'store-slow': { on: 'store', title: 'Object store slow', text: 'every answer comes a third of a second late' },
  'store-busy': { on: 'store', title: 'Object store busy', text: 'every third request is answered with 503' },
  'store-cuts': {
    on: 'store',
    title: 'Object store drops uploads',
    text: 'the first object and every fourth after it are cut off, each once',
  },
  'store-region': { on: 'store', title: 'Object store of another region', text: 'it takes signatures for another region alone' },
  'store-clock': { on: 'store', title: 'Clock of the object store is wrong', text: 'its clock is an hour ahead' },
  'provider-silent': { on: 'provider', title: 'Sign-in provider silent', text: 'it takes connections and never answers' },
  'provider-clock': { on: 'provider', title: 'Clock of the sign-in provider is wrong', text: 'its clock is an hour behind' },
  'provider-key': {
    on: 'provider',
    title: 'Sign-in provider signs with another key',
    text: 'what it signs is signed with a key that it does not publish',
  },
  'dns-silent': { on: 'dns', title: 'DNS silent', text: 'name servers take what they are asked and never answer' },
  'dns-refuses': { on: 'dns', title: 'DNS refuses updates', text: 'signed updates are answered with REFUSED' },
} as const;
export type FaultKind = keyof typeof faultKinds;
export interface Fault {
  kind: FaultKind;
  subject: string;
}

/** The faults in force. Devices ask it at the moment where nature would strike. */
export class Faults {
  private readonly planted = new Map<string, Fault>();
  private readonly listeners = new Set<() => void>();
  /** Faults that have struck since they were planted. */
  private readonly met = new Set<string>();
  has = (kind: FaultKind, subject: string): boolean => {
    const key = `${kind} ${subject}`;
    if (!this.planted.has(key)) return false;
    this.met.add(key);
    return true;
  };
  /** Whether somebody has met a fault since it was planted. */
  struck = (kind: FaultKind, subject: string): boolean => this.met.has(`${kind} ${subject}`);
  list = (): Fault[] => [...this.planted.values()];
  onChange = (listener: () => void) => {
    this.listeners.add(listener);
  };
  plant(fault: Fault): void {
    this.met.delete(`${fault.kind} ${fault.subject}`);
    this.planted.set(`${fault.kind} ${fault.subject}`, fault);
    this.tell();
  }
  lift(fault: Fault): void {
    this.planted.delete(`${fault.kind} ${fault.subject}`);
    this.tell();
  }
  private tell() {
    for (const l of this.listeners) l();
  }
}
