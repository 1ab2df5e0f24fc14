import { editsAskedBy } from '@praesidor/core/access';
import './interpreted.ts';
import { Checker, type Finding, serves } from '@praesidor/core/checks';
import { type Found, makeFinder, thingsOf } from '@praesidor/core/find';
import { type Known, nextMoves } from '@praesidor/core/moves';
import { comesAbout, consequences, type Plan, planOf, resolve, sheetOf } from '@praesidor/core/charter';
import { bootKit, fileChanges, placeholder } from '@praesidor/core/files';
import { changeDue } from '@praesidor/core/changes';
import {
  against,
  applyDifference,
  applyEdits,
  type Charter,
  type Collision,
  type CreatableKind,
  differences,
  type Doc,
  type Edit,
  type Estate,
  type EstateDifference,
  find,
  keyOf,
  type Kind,
  matchingText,
  mergeFields,
  readDocuments,
  setInText,
  sliceOf,
  starterText,
  templateOf,
  versionOf,
  versionsOf,
  withVersionKept,
  writeDocument,
} from '@praesidor/core/model';
import {
  type Asked,
  type ClusterReach,
  clusterReach,
  endOf,
  graphOf,
  type Reached,
  reachMatrix,
  type Trace,
  trace,
  type WhatIs,
  whatIs,
} from '@praesidor/core/reach';
import { type ColdStart, coldStartOf } from '@praesidor/core/cold-start';
import {
  inCommon,
  type Loss,
  mostPaired,
  rehearseAll,
  type RehearsedRow,
  roomOf,
  rowsOf,
  serviceRows,
  simulate,
  type Tried,
  type Verdict,
  whatMatters,
} from '@praesidor/core/rehearse';
import { type StoreRow, storesView, type VolumesView, volumesView } from '@praesidor/core/backup';
import { type TeamRow, teamRows } from '@praesidor/core/teams';
import { viewOf } from '@praesidor/core/reading';
import { isIp } from '@praesidor/core/address';
import { firstToLast, type RolloutAsked, rolloutOf } from '@praesidor/core/rollout';
import { broughtTo, clustersOf, draw, reachOf } from '@praesidor/core/template';
import { lintZone, plannedRecords, readMaster } from '@praesidor/core/naming';
import { expose } from 'comlink';

/** Every loss of a cluster, worst first, and what would help. */
export interface Rehearsed {
  charter: string;
  /** How many workloads are declared. */
  works: number;
  /** How many hosts are not lost together with another one; there are too many. */
  alone: number;
  cases: Verdict[];
  /** Names of hosts, by their numbers in cases. */
  hosts: string[];
  common: { what: string; share: number }[];
  matters: Tried[];
}

/** Everything that must answer while somebody types, away from the page's own thread. */

/** A field that two people set to different values, with the document of the text that it is in. */
export interface Collided extends Collision {
  document: number;
  name: string;
}

/** A path, where both of its ends can be read; why one cannot. */
export interface Traced {
  trace?: Trace;
  wrong: { from?: string; to?: string };
  /** What both ends are, where they are addresses. */
  is?: { from: WhatIs[]; to: WhatIs[] };
}

let estate: Estate | undefined;
const checking = new Checker();
const checker = (of: Estate) => checking.run(of);
/** The plan of a charter in the estate that was checked last, with its sheet. */
const planned = (name: string): Plan => {
  const plan = planOf(checking.view, name);
  return { ...plan, follows: sheetOf(plan) };
};
let finder: { estate: Estate; findings: Finding[]; find: ReturnType<typeof makeFinder> } | undefined;

export const compute = {
  load(next: Estate) {
    estate = next;
  },
  /** The server's own answer, read here. */
  loadText(text: string) {
    ({ estate } = JSON.parse(text) as { estate: Estate });
  },
  /** What has changed since, in its order. */
  change(list: EstateDifference[]) {
    for (const d of list) if (estate) estate = applyDifference(estate, d);
  },
  report(known: Known) {
    if (!estate) return undefined;
    const began = performance.now();
    const { findings, accepted, checks, passed } = checker(estate);
    return { findings, accepted, checks, passed, ms: performance.now() - began, moves: nextMoves(estate, findings, known) };
  },
  /** What can be gone to or done, for what somebody has typed; what it looks through is made once an estate. */
  find(typed: string, site: string): Found {
    if (!estate) return { things: [], of: 0 };
    const { findings } = checker(estate);
    if (finder?.estate !== estate) finder = { estate, findings, find: makeFinder(thingsOf(estate, findings)) };
    return finder.find(typed, site);
  },
  /** The charter as drafted: its plan, its findings, and what it changes against the one that is saved. */
  charter(draft: Charter) {
    if (!estate) return undefined;
    const began = performance.now();
    const before = estate.charters.find((c) => c.name === draft.name);
    const same = before && JSON.stringify(before) === JSON.stringify(draft);
    const after = same
      ? estate
      : {
          ...estate,
          charters: before ? estate.charters.map((c) => (c === before ? draft : c)) : [...estate.charters, draft],
        };
    checker(estate);
    const was = same || !before ? undefined : planned(draft.name);
    const { findings, checks, passed } = checker(after);
    const plan = planned(draft.name);
    return {
      plan,
      findings: findings.filter((f) => f.charters.includes(draft.name) || f.site === draft.site),
      checks,
      passed,
      ms: performance.now() - began,
      changes: same ? [] : consequences(was, plan, estate),
      // Of a cluster that is not built yet, everything is in the next build.
      comes: same || !before || !serves(checking.view, before) ? [] : comesAbout(before, draft),
    };
  },
  /** The path between two ends as somebody writes them, there and back; or what of them cannot be read. */
  /** Which networks reach which, in the order of their names. */
  matrix(names: string[]): Reached[][] {
    const networks = names.flatMap((n) => estate?.networks.find((x) => x.name === n) ?? []);
    return estate ? reachMatrix(estate, networks) : [];
  },
  /** Everything that is lacking so that two networks reach each other: that it is meant, and the routes of those that join them. */
  routeBetween(a: string, b: string): Edit[] {
    const known = estate;
    if (!known) return [];
    const meant = [
      [a, b],
      [b, a],
    ].flatMap(([from = '', to = '']): Edit[] => {
      const n = known.networks.find((x) => x.name === from);
      return n && !n.routesTo.includes(to)
        ? [{ op: 'set', kind: 'Network', key: from, path: ['routesTo'], value: [...n.routesTo, to] }]
        : [];
    });
    const then = applyEdits(known, meant);
    const graph = graphOf(then);
    return [...meant, ...trace(graph, endOf(then, graph, a), endOf(then, graph, b), 1).edits];
  },
  /** How what runs in a cluster is reached. */
  clusterReach(name: string): ClusterReach | undefined {
    const charter = estate?.charters.find((c) => c.name === name);
    return estate && charter ? clusterReach(resolve(charter, estate), estate) : undefined;
  },
  rehearse(name: string): Rehearsed | undefined {
    const charter = estate?.charters.find((c) => c.name === name);
    if (!estate || !charter) return undefined;
    const plan = resolve(charter, estate);
    const room = roomOf(plan);
    const cases = rehearseAll(room);
    return {
      charter: name,
      works: room.works.length,
      alone: Math.max(0, room.hosts.length - mostPaired),
      cases,
      hosts: room.hosts.map((h) => h.name),
      common: inCommon(room, cases),
      matters: whatMatters(plan, estate),
    };
  },
  /** Volumes of a cluster with their copies and backups, as planned. */
  volumes(name: string): VolumesView | undefined {
    const charter = estate?.charters.find((c) => c.name === name);
    if (!estate || !charter) return undefined;
    const plan = resolve(charter, estate);
    return volumesView(plan, roomOf(plan), estate);
  },
  /** Teams, with what they have and what they have planned. */
  teams: (): TeamRow[] => (estate ? teamRows(viewOf(estate)) : []),
  /** Stores for backups, with what is planned to lie there. */
  stores: (): StoreRow[] => (estate ? storesView(estate) : []),
  /** What starts when at a site that lost all power. */
  coldStart: (site: string): ColdStart | undefined => (estate ? coldStartOf(estate, site) : undefined),
  /** What happens in one case, line by line. */
  rehearseCase(name: string, losses: Loss[], edits: Edit[] = []): RehearsedRow[] | undefined {
    const known = estate && edits.length ? applyEdits(estate, edits) : estate;
    const charter = known?.charters.find((c) => c.name === name);
    if (!known || !charter) return undefined;
    const room = roomOf(resolve(charter, known));
    return [...rowsOf(room, simulate(room, losses)), ...serviceRows(room, losses)];
  },
  trace(from: string, to: string, asked: Asked): Traced {
    const known = estate;
    if (!known) return { wrong: {} };
    const graph = graphOf(known);
    const wrong: { from?: string; to?: string } = {};
    const end = (side: 'from' | 'to', text: string) => {
      try {
        return text ? endOf(known, graph, text, side) : undefined;
      } catch (e) {
        wrong[side] = (e as Error).message;
        return undefined;
      }
    };
    const [a, b] = [end('from', from), end('to', to)];
    const what = (e: typeof a) => (e && isIp(e.address) && !e.any ? whatIs(known, e.address) : []);
    return { ...(a && b ? { trace: trace(graph, a, b, asked) } : {}), wrong, is: { from: what(a), to: what(b) } };
  },
  /** A template with its clusters, and what one version of it changes against another. */
  template(name: string, from?: number, to?: number) {
    if (!estate) return undefined;
    const { findings } = checker(estate);
    const { view } = checking;
    const template = view.get('Template', name);
    if (!template) return undefined;
    const versions = versionsOf(template);
    const after = versionOf(template, to ?? template.version);
    const before = from === undefined ? versions.find((v) => v.version < (after?.version ?? 0)) : versionOf(template, from);
    const stops: Record<string, { stop: number; mind: number }> = {};
    for (const f of findings)
      for (const c of new Set(f.subject.kind === 'Charter' ? [...f.charters, f.subject.name] : f.charters)) {
        const s = (stops[c] ??= { stop: 0, mind: 0 });
        if (f.severity !== 'note') s[f.severity]++;
      }
    const clusters = clustersOf(template, view);
    return {
      template,
      versions,
      clusters,
      // The first that is changed shows whether it can be done: one that stands, and that nothing stops.
      inOrder: firstToLast(
        clusters.flatMap((c) => c.charter ?? []),
        estate,
        (c) => (stops[c]?.stop ?? 0) > 0,
      ),
      stops,
      before: before?.version,
      after: after?.version,
      reach: before && after ? reachOf(template, before, after, view) : undefined,
    };
  },
  /** What rolling a version of a template out would do: waves, changes, and how long it takes. */
  rollout(name: string, asked: RolloutAsked) {
    if (!estate) return undefined;
    const template = estate.templates.find((t) => t.name === name);
    return template && rolloutOf(template, estate, asked);
  },
  /** What a template as it is being written would change in the clusters of the one that stands. */
  reach(text: string) {
    const written = readDocuments(text, 'declared').docs.map((d) => d.doc);
    if (!estate) return [];
    checker(estate);
    const { view } = checking;
    return written.flatMap((doc) => {
      const stands = doc.kind === 'Template' ? view.get('Template', doc.name) : undefined;
      if (doc.kind !== 'Template' || !stands) return [];
      const kept = withVersionKept(stands, doc);
      const [before, after] = [versionOf(stands, stands.version), versionOf(kept, kept.version)];
      return before && after && after.version !== before.version
        ? [{ name: doc.name, before: before.version, after: after.version, ...reachOf(stands, before, after, view) }]
        : [];
    });
  },
  /** A charter as it is begun: from a template, or like another, by answers. */
  begin(from: { template?: string; like?: string }, answers: { question: string; answer: string }[], site: string) {
    if (!estate) return undefined;
    checker(estate);
    const { view } = checking;
    const near = from.like ? view.get('Charter', from.like) : undefined;
    const template = near ? templateOf(near, estate) : view.get('Template', from.template ?? '');
    const version = template && versionOf(template, template.version);
    if (!template || !version) return undefined;
    const drawn = draw({ name: template.name, ...version }, answers, view, { site });
    const { charter } = drawn;
    const { template: _, ...alone } = charter ?? {};
    const doc = charter && near ? (alone as Charter) : charter;
    return { ...drawn, charter: doc, text: doc ? writeDocument(doc) : '' };
  },
  /** A charter brought to the version of its template that stands. */
  brought(name: string, version: number) {
    if (!estate) return undefined;
    checker(estate);
    const charter = checking.view.get('Charter', name);
    return charter && broughtTo(charter, checking.view, version);
  },
  /** What a draft changes in the files of its kit, and in the steps of a build. */
  files(draft: Charter) {
    if (!estate) return undefined;
    const before = estate.charters.find((c) => c.name === draft.name);
    const after = { ...estate, charters: [...estate.charters.filter((c) => c !== before), draft] };
    const kit = (of: Estate, c: Charter | undefined) => {
      const plan = c && resolve(c, of);
      const files = plan
        ? bootKit({
            plan,
            estate: of,
            secret: placeholder(draft.name),
            installation: draft.name,
            bootUrl: (host) => `(boot address of ${host})`,
            reportUrl: (host) => `(address of ${host} for its reports)`,
          })
        : [];
      return { files: new Map(files.map((f) => [f.path, f.content])), steps: plan ? (changeDue(plan, of)?.steps ?? []) : [] };
    };
    const [was, is] = [kit(estate, before), kit(after, draft)];
    const ids = (list: typeof is.steps) => new Set(list.map((s) => s.id));
    return {
      changes: fileChanges(was.files, is.files),
      steps: {
        before: was.steps.length,
        after: is.steps.length,
        added: is.steps.filter((s) => !ids(was.steps).has(s.id)).map((s) => s.id),
        removed: was.steps.filter((s) => !ids(is.steps).has(s.id)).map((s) => s.id),
      },
    };
  },
  /** The text of a charter as somebody wrote it, brought to what it says; one that cannot be read stays. And back, with every fault at its place. */
  matching: (written: string, draft: Charter) => (readDocuments(written).faults.length ? written : matchingText(written, draft)),
  read(text: string) {
    const { docs, faults } = readDocuments(text, 'charter');
    const doc = docs[0]?.doc;
    if (!faults.length && (docs.length !== 1 || doc?.kind !== 'Charter'))
      faults.push({
        file: 'charter',
        line: 1,
        column: 1,
        path: '',
        code: 'kind',
        message: 'the text must hold exactly one charter',
      });
    return { faults, doc: doc?.kind === 'Charter' && !faults.length ? doc : undefined };
  },
  /** Text to begin a document with. */
  starter: (kind: CreatableKind, site: string | undefined, given: Record<string, string>) =>
    estate ? starterText(kind, estate, site, given) : '',
  /** The text of a document that stands, by its kind and key: `Network lr-machine`. */
  text(which: string) {
    const [kind = '', ...key] = which.split(' ');
    const doc = estate && Object.hasOwn(sliceOf, kind) ? find(estate, kind as Kind, key.join(' ')) : undefined;
    return doc ? writeDocument(doc) : '';
  },
  /**
   * What documents as typed would do: to the estate, and to what the checks find. `base` holds documents as they stood
   * when the person began; what others changed since stays, and fields that both changed are told. Nothing is saved.
   */
  declare(text: string, base: Record<string, object | null> = {}) {
    if (!estate) return undefined;
    const { docs, faults } = readDocuments(text, 'declared');
    const met: Record<string, object | null> = {};
    const collisions: Collided[] = [];
    const merged = docs.map(({ doc }, document): Doc => {
      const name = `${doc.kind} ${keyOf(doc)}`;
      const now = (estate && find(estate, doc.kind, keyOf(doc))) ?? null;
      const from = Object.hasOwn(base, name) ? (base[name] as object | null) : now;
      if (!Object.hasOwn(base, name)) met[name] = now;
      if (!now) return doc;
      const m = mergeFields(now as object, differences(from, doc));
      for (const c of m.collisions) collisions.push({ ...c, document, name });
      return m.collisions.length ? doc : (m.merged as Doc);
    });
    const put = merged.map((doc): Edit => ({ op: 'put', doc }));
    const findings = faults.length || collisions.length ? [] : (compute.preview(put)?.added ?? []);
    const asks = editsAskedBy(estate, put);
    return { faults, differences: against(estate, merged), lines: docs.map((d) => d.line), findings, met, collisions, asks };
  },
  /** The text with one field of one document set. */
  set: (text: string, document: number, path: (string | number)[], value: unknown) => setInText(text, document, path, value),
  /** A master file read and judged: what is wrong with it, and what of it the plan has not. */
  judge(zone: string, text: string) {
    if (!estate) return undefined;
    const read = readMaster(text, zone);
    const lint = lintZone(zone, read.records, estate.observed.zones[zone]?.serial);
    const planned = new Set(plannedRecords(estate).map((r) => `${r.name} ${r.type} ${r.value}`));
    const unknown = read.records.filter((r) => r.type !== 'SOA' && !planned.has(`${r.name} ${r.type} ${r.value}`));
    return {
      records: read.records.length,
      problems: [...read.problems, ...lint.problems],
      count: read.problemCount + lint.count,
      unknown: unknown.slice(0, 1000),
      unknownCount: unknown.length,
    };
  },
  /** Findings that edits would bring, and those that would go. Nothing is saved. */
  preview(edits: Edit[]) {
    if (!estate) return undefined;
    const key = (f: { id: string; text: string }) => `${f.id} ${f.text}`;
    const before = checker(estate).findings;
    const after = checker(applyEdits(estate, edits)).findings;
    const had = new Set(before.map(key));
    // One that only speaks of other figures by then has not gone.
    const has = new Set(after.map((f) => f.id));
    return { added: after.filter((f) => !had.has(key(f))), removed: before.filter((f) => !has.has(f.id)) };
  },
  /** A document after a remedy, for showing what it will change. */
  edited(edits: Edit[]) {
    return estate ? applyEdits(estate, edits) : undefined;
  },
};
export type Compute = typeof compute;
expose(compute);
