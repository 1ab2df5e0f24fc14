import type { Machine, Task } from './machine.ts';

interface Body {
  Boot?: { HttpBootUri?: string; BootSourceOverrideTarget?: string; BootSourceOverrideEnabled?: string };
  LocationIndicatorActive?: boolean;
  ResetType?: string;
  Image?: string;
  ImageURI?: string;
  Targets?: string[];
  VerifyCertificate?: boolean;
  CertificateString?: string;
  CertificateType?: string;
}
interface Done {
  status: number;
  message?: string;
  task?: Task;
}
const system = '/redfish/v1/Systems/1';
const drive = '/redfish/v1/Managers/1/VirtualMedia/1';
/** Where authorities are put, and what trusts them then. */
const trusts: Record<string, 'boot' | 'media'> = { [`${system}/Boot/Certificates`]: 'boot', [`${drive}/Certificates`]: 'media' };

/** What a controller does when it is told to. */
export function actOn(m: Machine, method: string, path: string, body: Body): Done {
  if (method === 'PATCH' && path === system) {
    const { BootSourceOverrideTarget: target, BootSourceOverrideEnabled: enabled, HttpBootUri: uri } = body.Boot ?? {};
    if (enabled && !['Disabled', 'Once', 'Continuous'].includes(enabled))
      return { status: 400, message: `no BootSourceOverrideEnabled ${enabled}` };
    if (body.Boot) m.setBoot(enabled === 'Disabled' ? 'None' : (target ?? 'None'), uri, enabled === 'Continuous');
    if (body.LocationIndicatorActive !== undefined) m.setLight(body.LocationIndicatorActive);
    return { status: 200 };
  }
  if (method === 'PATCH' && path === drive && body.VerifyCertificate !== undefined) {
    m.trust({ verify: body.VerifyCertificate });
    return { status: 200 };
  }
  if (method !== 'POST') return { status: 405, message: 'not done here' };
  if (path === `${system}/Actions/ComputerSystem.Reset`) return resetTo(m, body.ResetType);
  const use = trusts[path];
  if (use) {
    const { CertificateString: pem = '', CertificateType: type } = body;
    if (type !== 'PEM' || !/^-----BEGIN CERTIFICATE-----/.test(pem)) return { status: 400, message: 'that is no certificate' };
    m.trust({ [use]: [...m.trusted[use], pem] });
    return { status: 201 };
  }
  if (path === `${drive}/Actions/VirtualMedia.InsertMedia`) {
    if (!body.Image) return { status: 400, message: 'no image is named' };
    if (m.media) return { status: 400, message: 'a medium is inserted already' };
    m.setMedia(body.Image);
    return { status: 204 };
  }
  if (path === `${drive}/Actions/VirtualMedia.EjectMedia`) {
    m.setMedia(undefined);
    return { status: 204 };
  }
  if (path === '/redfish/v1/UpdateService/Actions/UpdateService.SimpleUpdate') {
    const part = body.Targets?.[0]?.split('/').at(-1) ?? 'system';
    if (!body.ImageURI) return { status: 400, message: 'no image is named' };
    return { status: 202, task: m.update(part, body.ImageURI) };
  }
  const bay = /\/Storage\/1\/Drives\/(\d+)\/Actions\/Drive\.SecureErase$/.exec(path);
  if (bay) return { status: 202, task: m.erase(Number(bay[1])) };
  return { status: 405, message: 'not done here' };
}

function resetTo(m: Machine, type: string | undefined): Done {
  if (type === 'ForceOff') m.powerOff();
  else if (type === 'GracefulShutdown') m.shutDown();
  else if (type === 'On') m.powerOn();
  else if (type === 'ForceRestart' || type === 'GracefulRestart') {
    m.powerOff();
    m.powerOn();
  } else return { status: 400, message: `no reset ${type}` };
  return { status: 204 };
}
