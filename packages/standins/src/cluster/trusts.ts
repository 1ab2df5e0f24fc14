import { X509Certificate } from 'node:crypto';
import { once, parseYaml } from '../parse-once.ts';

/** A kubelet's way to the API: whom it trusts there, and what it shows. */
export const kubeletConfig = '/etc/kubernetes/kubelet.kubeconfig';
const bundle = (pem: string) => pem.match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g) ?? [];
/** Whether one of these authorities has signed a certificate. */
const signedBy = (cert: string, authorities: string) => {
  const c = new X509Certificate(cert);
  return bundle(authorities).some((a) => {
    const by = new X509Certificate(a);
    return c.checkIssued(by) && c.verify(by.publicKey);
  });
};
/** Whether a kubelet with this way to the API and an API server let each other in. */
const between = once((text): boolean => {
  const [kubelet = '', ca = '', api = ''] = JSON.parse(text) as string[];
  const config = parseYaml(kubelet) as {
    clusters: { cluster: { 'certificate-authority-data': string } }[];
    users: { user: { 'client-certificate-data': string } }[];
  };
  const read = (base64: string | undefined) => Buffer.from(base64 ?? '', 'base64').toString();
  const own = read(config.users[0]?.user['client-certificate-data']);
  return signedBy(own, ca) && signedBy(api, read(config.clusters[0]?.cluster['certificate-authority-data']));
});
/** The same, of files that may be none: then they do not. */
export const trusted = (kubelet: string, ca: string, api: string) => {
  try {
    return between(JSON.stringify([kubelet, ca, api]));
  } catch {
    return false;
  }
};
