import type { KitContext } from '@praesidor/core/files';
import type { Host } from '@praesidor/core/model';
import {
  type Bmc,
  ejectMedia,
  setBoot,
  setHttpBoot,
  setMediaBoot,
  trustForBoot,
  trustForMedia,
} from '@praesidor/protocols/redfish';

/**
 * Has a host start from its kit until it is told otherwise, as its document says. What loads the kit over TLS is given the authority to
 * check it against. @returns what was set, for the log
 */
export async function startFromKit(bmc: Bmc, host: Host, kit: KitContext, authority?: string): Promise<string> {
  const checks = await checksServer(bmc, host, authority);
  return `${await bootSource(bmc, host, kit)}${checks}`;
}

/** Hands the authority to who loads the kit. @returns what came of it, for the log */
async function checksServer(bmc: Bmc, host: Host, authority: string | undefined): Promise<string> {
  if (!authority) return '';
  const byMedium = host.bmc?.boot === 'media';
  const taken = await (byMedium ? trustForMedia : trustForBoot)(bmc, authority);
  if (taken) return `; ${byMedium ? 'its controller' : 'its firmware'} checks this server against the authority of the kit`;
  return byMedium
    ? '; its controller takes no authority: it reads the medium from whoever answers, or has the authority from elsewhere'
    : '; its controller takes no authority for what it starts: its firmware must have it from elsewhere';
}

async function bootSource(bmc: Bmc, host: Host, kit: KitContext): Promise<string> {
  const from = kit.bootUrl(host.name);
  if (host.bmc?.boot === 'media') {
    await setMediaBoot(bmc, `${from}/boot.iso`);
    return 'starts from virtual media, until it starts from its own disk';
  }
  if (host.bmc?.boot === 'pxe') {
    await setBoot(bmc, 'Pxe', { always: true });
    return 'starts by PXE, until it starts from its own disk';
  }
  await setHttpBoot(bmc, `${from}/boot.efi`);
  return 'starts over HTTP, until it starts from its own disk';
}

/** Leaves a host to its own order of what it starts from, and takes the medium of its kit out: also where it starts otherwise by now. */
export async function startFromDisk(bmc: Bmc, host: Host, kit: KitContext): Promise<void> {
  await setBoot(bmc, 'None');
  await ejectMedia(bmc, `${kit.bootUrl(host.name)}/`).catch((e: unknown) => {
    // A controller that has no drives to play is none of a host that starts otherwise.
    if (host.bmc?.boot === 'media') throw e;
  });
}
