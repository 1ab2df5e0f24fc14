import { z } from 'zod';
import { ProtocolError } from '../dial/index.ts';
import { act, type Bmc, get, Link } from './bmc.ts';

/** Hands an image to the update service (SimpleUpdate). @returns where the progress of the task stands */
export async function beginUpdate(b: Bmc, image: string, part: string): Promise<string> {
  const { FirmwareInventory } = await get(b, '/redfish/v1/UpdateService', z.object({ FirmwareInventory: Link.nullish() }));
  const task = await act(b, 'POST', '/redfish/v1/UpdateService/Actions/UpdateService.SimpleUpdate', {
    ImageURI: image,
    TransferProtocol: new URL(image).protocol === 'https:' ? 'HTTPS' : 'HTTP',
    ...(FirmwareInventory ? { Targets: [`${FirmwareInventory['@odata.id']}/${part}`] } : {}),
  });
  if (!task) throw new ProtocolError('answer', b.address, 'it took the update and names no task for it');
  return task;
}

export interface TaskState {
  state: 'running' | 'done' | 'failed';
  percent: number;
  text: string;
}
const running = ['New', 'Starting', 'Running', 'Pending', 'Service', 'Suspended', 'Interrupted', 'Stopping'];

/** How far a task of the controller is (DSP0266, tasks). */
export async function taskState(b: Bmc, task: string): Promise<TaskState> {
  const t = await get(
    b,
    task,
    z.object({
      TaskState: z.string().nullish(),
      TaskStatus: z.string().nullish(),
      PercentComplete: z.number().nullish(),
      Messages: z.array(z.object({ Message: z.string().nullish() })).nullish(),
    }),
  );
  const text = t.Messages?.at(-1)?.Message?.slice(0, 300) ?? '';
  const percent = Math.min(100, Math.max(0, t.PercentComplete ?? 0));
  if (t.TaskState === 'Completed' && (t.TaskStatus ?? 'OK') === 'OK') return { state: 'done', percent: 100, text };
  if (running.includes(t.TaskState ?? '')) return { state: 'running', percent, text };
  return { state: 'failed', percent, text: text || `the task ended as ${t.TaskState ?? 'nothing that is known'}` };
}
