import {
  type ChangeName,
  changeAsked,
  changeDue,
  changeKind,
  type ChangePlan,
  onItsWay,
  type Requested,
} from '@praesidor/core/changes';
import { type Plan, resolve } from '@praesidor/core/charter';
import type { Estate } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import type { Context } from '../../context.ts';
import { known } from '../../engine/history.ts';
import { needIn } from '../../estate/documents.ts';
import { installedOf } from './installed.ts';

/** What leads a cluster on: what is due for it, or what somebody asked for, with the plan that it is computed from. */
export interface Due {
  plan: Plan;
  /** As the change makes it: with the release that comes next on the way. */
  estate: Estate;
  due: ChangePlan | undefined;
}

/**
 * The change that leads from what stands of a cluster to its charter, or one that is asked for; the same for whoever looks, begins it, or plans it anew.
 *
 * @param requested what runs and asks for room: asked of the cluster before, since that takes a moment
 * @param resolved the plan of the charter on its way, where it was computed before
 */
export async function dueOf(
  ctx: Context,
  m: EntityManager,
  whole: Estate,
  name: string,
  kind: ChangeName | undefined,
  requested: Requested | undefined,
  resolved?: Plan,
): Promise<Due> {
  const { estate, further } = onItsWay(name, whole);
  const plan = resolved ?? resolve(needIn(estate, 'Charter', name), estate);
  const times = await known(m);
  const installed = { ...(await installedOf(ctx, m, name, estate)), requested, further };
  const asked = kind && changeKind(kind).asked ? kind : undefined;
  const due = asked ? changeAsked(asked, plan, estate, times, installed) : changeDue(plan, estate, times, installed);
  return { plan, estate, due };
}
