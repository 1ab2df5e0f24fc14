import type { Plan, PlannedNode } from '../charter/plan.ts';
import { type Limiting, share } from '../schedule/limits.ts';
import { type Known, modelOf } from '../schedule/estimate.ts';
import type { Share, Step, StepKind } from '../schedule/steps.ts';
import type { Leaving } from './change.ts';

/** The steps of a change as they are put together: those for whole hosts are the same in every kind of change. */
export class Steps {
  readonly list: Step[] = [];
  constructor(
    private readonly plan: Plan,
    private readonly known: Known,
    private readonly estate: Limiting,
  ) {}

  add(
    id: string,
    lane: string,
    kind: StepKind,
    title: string,
    after: readonly string[],
    more: { host?: string | undefined; shares?: Share | undefined } = {},
  ): string {
    const { host, shares } = more;
    const on = this.about(kind, host);
    this.list.push({
      id,
      lane,
      kind,
      title,
      after: [...after],
      ...this.known(kind, on),
      ...on,
      ...(host ? { host } : {}),
      ...(shares ? { shares } : {}),
    });
    return id;
  }
  /** What a step is estimated by: the model of its machine, and what it has to do, as bytes of images or nodes of the cluster. */
  private about(kind: StepKind, host: string | undefined): { model?: string; size?: number } {
    const node = this.plan.nodes.find((n) => n.host === host);
    const size = kind === 'images' ? this.plan.images.bytes : host ? undefined : this.plan.nodes.length;
    return { ...(node ? { model: modelOf(node) } : {}), ...(size ? { size } : {}) };
  }
  /** Of the cluster as a whole. */
  whole = (id: string, kind: StepKind, title: string, after: readonly string[]) =>
    this.add(id, this.plan.charter.name, kind, title, after);

  /** What every change begins with. @returns the step that the hosts wait for */
  begin(): string {
    this.add('preflight', 'estate', 'preflight', 'measure what is needed', []);
    return this.add('names', 'estate', 'names', 'send and read back the records', ['preflight']);
  }
  /** From nothing to all images on its disks. @returns the last step */
  prepare(n: PlannedNode, after: readonly string[]): string {
    const { host } = n;
    const cast =
      n.guest &&
      this.add(`${host}/cast`, host, 'cast', 'cast', after, {
        host,
        shares: share(this.estate, 'hypervisor', n.guest.hypervisor),
      });
    this.add(`${host}/power`, host, 'power', 'power', cast ? [cast] : after, {
      host,
      shares: n.guest ? undefined : share(this.estate, 'controllers', this.plan.charter.site),
    });
    this.add(`${host}/system`, host, 'system', 'system', [`${host}/power`], { host });
    return this.add(`${host}/images`, host, 'images', 'images', [`${host}/system`], {
      host,
      shares: share(this.estate, 'registry', this.plan.charter.mirror),
    });
  }
  /** Its pods go elsewhere; then it is switched off and taken out. @returns the last step */
  leave(l: Leaving, after: readonly string[]): string {
    const { host } = l;
    let last = this.add(`${host}/drain`, host, 'drain', 'drain', after, { host });
    // Out of etcd while it still runs: a member that is only switched off counts as lost.
    if (l.role === 'control-plane') last = this.add(`${host}/member`, host, 'member', 'leave etcd', [last], { host });
    return this.add(`${host}/leave`, host, 'leave', 'leave', [last], { host });
  }
}
