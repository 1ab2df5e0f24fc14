import type { ServerEvent } from '@praesidor/contract';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { useRunning } from '../state/running.ts';
import { renew } from './renew.ts';
import { listen } from './stream.ts';

const keysFor: Record<string, string[][]> = {
  Shipment: [['shipments'], ['estate']],
  ShipmentProgress: [['shipments']],
  ShipmentLog: [],
  Pulls: [['pulls']],
  SeenRegistry: [['estate'], ['deletable']],
  Build: [['builds'], ['build'], ['estate'], ['approvals'], ['applications']],
  BuildProgress: [['builds'], ['build']],
  BuildLog: [['log']],
  Prerequisites: [['prerequisites']],
  Work: [['works'], ['host']],
  WorkProgress: [['works'], ['host']],
  WorkLog: [],
  Gateway: [['estate'], ['setup']],
  Setup: [['setup'], ['approvals']],
  SetupProgress: [['setup']],
  SetupLog: [['setup']],
  BackupStore: [['estate']],
  Team: [['estate']],
  Proposal: [['proposals'], ['estate', 'proposal']],
  Bundle: [['installations'], ['bundle'], ['estate']],
  Backup: [['backups'], ['approvals']],
  Loss: [['losses'], ['approvals']],
  SitePower: [['site power'], ['approvals']],
  Rollout: [['rollout']],
  RolloutProgress: [['rollout']],
  RolloutLog: [],
  SitePowerProgress: [['site power']],
  LossProgress: [['losses']],
  SeenLosses: [['losses'], ['estate']],
  SeenBackups: [['backups'], ['estate']],
  BackupProgress: [['backups']],
  BackupLog: [],
  Keyring: [['keyring'], ['estate']],
  Act: [['acts']],
  Notice: [['notices']],
  Report: [],
  Gate: [],
  Proof: [['proof'], ['proofs']],
  Lease: [],
  Charter: [['estate'], ['charter'], ['files'], ['applications']],
  Host: [['estate'], ['files'], ['host']],
  Reservation: [['estate'], ['files']],
  // Too much happened, or was missed, to be told one by one: everything is read again.
  Again: [[]],
  Many: [[]],
};

/** Keeps what the browser shows as the server has it. Many events in one moment are one renewal. */
export function useEvents(on: boolean) {
  const client = useQueryClient();
  const sweep = useRunning((s) => s.sweep);
  useEffect(() => {
    if (!on) return undefined;
    const due = new Set<string>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    const renewDue = () => {
      timer = undefined;
      for (const key of due) renew(client, JSON.parse(key) as string[]);
      due.clear();
    };
    const onEvent = (data: string) => {
      const e = JSON.parse(data) as ServerEvent;
      if (e.kind === 'Sweep') {
        if (e.data) sweep(e.subject, e.data);
        return;
      }
      for (const key of keysFor[e.kind] ?? [['estate']]) due.add(JSON.stringify(key));
      timer ??= setTimeout(renewDue, 250);
    };
    const stop = listen(onEvent, () => renew(client, []));
    return () => {
      stop();
      clearTimeout(timer);
    };
  }, [on, client, sweep]);
}
