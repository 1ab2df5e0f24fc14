import { z } from 'zod';
import { ProtocolError } from '../dial/index.ts';
import { act, type Bmc, Collection, firstSystem, get, Link } from './bmc.ts';

export async function powerState(b: Bmc): Promise<'On' | 'Off'> {
  const s = await get(b, await firstSystem(b), z.object({ PowerState: z.string().nullish() }));
  return s.PowerState === 'On' ? 'On' : 'Off';
}

/**
 * Boots over HTTP from `uri` at every start until it is told otherwise (Boot.HttpBootUri of DSP0268): a power cut before there
 * is a system on its disk brings it back to the same place.
 */
export const setHttpBoot = async (b: Bmc, uri: string): Promise<void> => setBoot(b, 'UefiHttp', { uri, always: true });

export type BootSource = 'None' | 'Pxe' | 'UefiHttp' | 'Cd' | 'Hdd' | 'BiosSetup';
/** What the machine boots from at its next start, and only then unless `always`; `None` takes it back. */
export async function setBoot(
  b: Bmc,
  source: BootSource,
  { uri, always = false }: { uri?: string | undefined; always?: boolean } = {},
): Promise<void> {
  await act(b, 'PATCH', await firstSystem(b), {
    Boot: {
      BootSourceOverrideEnabled: source === 'None' ? 'Disabled' : always ? 'Continuous' : 'Once',
      BootSourceOverrideMode: 'UEFI',
      BootSourceOverrideTarget: source,
      ...(uri ? { HttpBootUri: uri } : {}),
    },
  });
}

export type ResetType = 'On' | 'ForceOff' | 'GracefulShutdown' | 'ForceRestart' | 'GracefulRestart';
export async function reset(b: Bmc, type: ResetType): Promise<void> {
  await act(b, 'POST', `${await firstSystem(b)}/Actions/ComputerSystem.Reset`, { ResetType: type });
}

/** The light that tells which machine it is. */
export async function setLight(b: Bmc, on: boolean): Promise<void> {
  await act(b, 'PATCH', await firstSystem(b), { LocationIndicatorActive: on });
}

/**
 * Boots from a medium that it plays to the machine, at every start until it is told otherwise. What is in the drive already is taken out:
 * another build's, or the same address with other bytes behind it.
 */
export async function setMediaBoot(b: Bmc, uri: string): Promise<void> {
  await ejectMedia(b);
  await setMedia(b, uri);
  await setBoot(b, 'Cd', { always: true });
}

export interface Media {
  path: string;
  name: string;
  image: string | undefined;
  /** Plays CDs, as far as it says what it plays (VirtualMedia.MediaTypes). */
  disc: boolean;
}
/** Drives that the controller plays to its machine, and what is in them. */
export async function virtualMedia(b: Bmc): Promise<Media[]> {
  const { Members } = await get(b, '/redfish/v1/Managers', Collection);
  const manager = Members[0]?.['@odata.id'];
  if (!manager) return [];
  const { VirtualMedia } = await get(b, manager, z.object({ VirtualMedia: Link.nullish() }));
  if (!VirtualMedia) return [];
  const out: Media[] = [];
  for (const m of (await get(b, VirtualMedia['@odata.id'], Collection)).Members.slice(0, 16)) {
    const v = await get(
      b,
      m['@odata.id'],
      z.object({
        Name: z.string().nullish(),
        Image: z.string().nullish(),
        Inserted: z.boolean().nullish(),
        MediaTypes: z.array(z.string().max(40)).max(20).nullish(),
      }),
    );
    out.push({
      path: m['@odata.id'],
      name: v.Name ?? '',
      image: v.Inserted === false ? undefined : (v.Image ?? undefined),
      disc: v.MediaTypes?.some((t) => t === 'CD' || t === 'DVD') ?? true,
    });
  }
  return out;
}
/** Puts an image into the first of those drives that plays CDs. */
export async function setMedia(b: Bmc, image: string): Promise<void> {
  const drive = (await virtualMedia(b)).find((m) => m.disc);
  if (!drive) throw new ProtocolError('missing', b.address, 'it has no virtual media');
  await act(b, 'POST', `${drive.path}/Actions/VirtualMedia.InsertMedia`, { Image: image, Inserted: true, WriteProtected: true });
}
/** Takes out what is in those drives; of an address, only what was put in from there. */
export async function ejectMedia(b: Bmc, from = ''): Promise<void> {
  for (const m of await virtualMedia(b))
    if (m.image?.startsWith(from)) await act(b, 'POST', `${m.path}/Actions/VirtualMedia.EjectMedia`, {});
}

export interface Erased {
  drive: string;
  /** Where its progress stands, if it takes time. */
  task: string | undefined;
}
/** Begins the secure erase of every drive of the machine (Drive.SecureErase). */
export async function eraseDrives(b: Bmc): Promise<Erased[]> {
  const { Storage } = await get(b, await firstSystem(b), z.object({ Storage: Link.nullish() }));
  const out: Erased[] = [];
  if (!Storage) return out;
  for (const s of (await get(b, Storage['@odata.id'], Collection)).Members.slice(0, 64)) {
    const { Drives } = await get(b, s['@odata.id'], z.object({ Drives: z.array(Link).max(256).nullish() }));
    for (const d of Drives ?? []) {
      const facts = await get(
        b,
        d['@odata.id'],
        z.object({
          Name: z.string().nullish(),
          SerialNumber: z.string().nullish(),
          PhysicalLocation: z.object({ PartLocation: z.object({ ServiceLabel: z.string().nullish() }).nullish() }).nullish(),
        }),
      );
      const task = await act(b, 'POST', `${d['@odata.id']}/Actions/Drive.SecureErase`, {});
      const where = facts.PhysicalLocation?.PartLocation?.ServiceLabel ?? facts.Name ?? '?';
      out.push({ drive: `${where}${facts.SerialNumber ? ` ${facts.SerialNumber}` : ''}`, task });
    }
  }
  return out;
}
