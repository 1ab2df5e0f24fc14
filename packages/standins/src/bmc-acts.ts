import type { Machine, Task } from './machine.ts';

interface Body {
  Boot?: { HttpBootUri?: string; BootSourceOverrideTarget?: string; BootSourceOverrideEnabled?: string };
  LocationIndicatorActive?: boolean;
  ResetType?: string;
  Image?: string;
  ImageURI?: string;
  Targets?: string[];
}
interface Done {
  status: number;
  message?: string;
  task?: Task;
}
const system = '/redfish/v1/Systems/1';

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
  if (method !== 'POST') return { status: 405, message: 'not done here' };
  if (path === `${system}/Actions/ComputerSystem.Reset`) return resetTo(m, body.ResetType);
  if (path === '/redfish/v1/Managers/1/VirtualMedia/1/Actions/VirtualMedia.InsertMedia') {
    if (!body.Image) return { status: 400, message: 'no image is named' };
    if (m.media) return { status: 400, message: 'a medium is inserted already' };
    m.setMedia(body.Image);
    return { status: 204 };
  }
  if (path === '/redfish/v1/Managers/1/VirtualMedia/1/Actions/VirtualMedia.EjectMedia') {
    m.setMedia(undefined);
    return { status: 204 };
  }
  if (path === '/redfish/v1/UpdateService/Actions/UpdateService.SimpleUpdate') {
    const part = body.Targets?.[0]?.split('/').at(-1) ?? 'system';
    if (!body.ImageURI) return { status: 400, message: 'no image is named' };
    return { status: 202, task: m.update(part, body.ImageURI) };
  }
  const drive = /\/Storage\/1\/Drives\/(\d+)\/Actions\/Drive\.SecureErase$/.exec(path);
  if (drive) return { status: 202, task: m.erase(Number(drive[1])) };
  return { status: 405, message: 'not done here' };
}

function resetTo(m: Machine, type: string | undefined): Done {
  if (type === 'ForceOff' || type === 'GracefulShutdown') m.powerOff();
  else if (type === 'On') m.powerOn();
  else if (type === 'ForceRestart' || type === 'GracefulRestart') {
    m.powerOff();
    m.powerOn();
  } else return { status: 400, message: `no reset ${type}` };
  return { status: 204 };
}
