import { z } from 'zod';
import { ProtocolError } from '../dial/index.ts';
import { act, type Bmc, Collection, firstSystem, get, Link } from './bmc.ts';
import { virtualMedia } from './acts.ts';

const Certificates = z.object({ Certificates: Link.nullish() });

/**
 * Has the firmware of a machine check what it starts over HTTPS against an authority (`Boot.Certificates`, ComputerSystem 1.7 of DSP2046).
 * @param authority a certificate in PEM @returns false: the controller has no place for it @throws ProtocolError
 */
export async function trustForBoot(b: Bmc, authority: string): Promise<boolean> {
  const { Boot } = await get(b, await firstSystem(b), z.object({ Boot: Certificates.nullish() }));
  return install(b, Boot?.Certificates?.['@odata.id'], authority);
}

/**
 * Has a controller check the server of a medium that it plays against an authority (`Certificates` and `VerifyCertificate`, VirtualMedia 1.4
 * of DSP2046). @param authority a certificate in PEM @returns false: no drive has a place for it @throws ProtocolError
 */
export async function trustForMedia(b: Bmc, authority: string): Promise<boolean> {
  const drive = (await virtualMedia(b)).find((m) => m.disc);
  if (!drive) return false;
  const { Certificates: place } = await get(b, drive.path, Certificates);
  if (!(await install(b, place?.['@odata.id'], authority))) return false;
  await act(b, 'PATCH', drive.path, { VerifyCertificate: true });
  return true;
}

/** Puts a certificate where those lie that are trusted, unless it lies there already. */
async function install(b: Bmc, place: string | undefined, authority: string): Promise<boolean> {
  if (!place) return false;
  const plain = (pem: string) => pem.replace(/\s/g, '');
  try {
    for (const m of (await get(b, place, Collection)).Members.slice(0, 64)) {
      const { CertificateString } = await get(
        b,
        m['@odata.id'],
        z.object({ CertificateString: z.string().max(65_536).nullish() }),
      );
      if (CertificateString && plain(CertificateString) === plain(authority)) return true;
    }
    await act(b, 'POST', place, { CertificateString: authority, CertificateType: 'PEM' });
    return true;
  } catch (e) {
    // Some name the place and have nothing there, or take nothing.
    if (e instanceof ProtocolError && [400, 404, 405, 501].includes(e.status ?? 0)) return false;
    throw e;
  }
}
