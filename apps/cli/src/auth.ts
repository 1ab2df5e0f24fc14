import { mergePullSecrets } from '@praesidor/core/images';
import { readText, Unusable } from './estate.ts';

/** User and password for a registry out of an auth file. @throws Unusable naming the file, never what stands in it */
export function readRegistryAuth(file: string, registry: string): { user: string; password: string } {
  const read = mergePullSecrets([{ name: file, text: readText(file) }], [registry]);
  const [fault] = read.faults;
  const auth = read.auths[registry.toLowerCase()]?.auth;
  if (!auth) throw new Unusable(fault ? `${fault.file}: ${fault.why}` : `${file}: it has no entry for ${registry}`);
  const text = Buffer.from(auth, 'base64').toString('utf8');
  const colon = text.indexOf(':');
  return { user: text.slice(0, colon), password: text.slice(colon + 1) };
}
