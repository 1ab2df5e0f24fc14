import { expect, it } from 'vitest';
import { proxyRange, rangeSaid } from './found.ts';

it.each([
  [
    'Service "x" is invalid: spec.clusterIPs: Invalid value: []string{"192.0.2.1"}: failed to allocate IP 192.0.2.1: the provided IP (192.0.2.1) is not in the valid range. The range of valid IPs is 10.96.0.0/12',
    '10.96.0.0/12',
  ],
  ['failed to allocate IP 192.0.2.1: the provided IP is not in the valid range (10.144.0.0/18)', '10.144.0.0/18'],
  ['the provided IP is not in the valid range. The range of valid IPs is fd00:10:96::/112', 'fd00:10:96::/112'],
  ['services is forbidden: User "x" cannot create resource "services"', undefined],
])('the range that a refusal names: %s', (text, range) => expect(rangeSaid(text)).toBe(range));

it.each([
  ['kind: KubeProxyConfiguration\nclusterCIDR: 10.128.0.0/16,fd00::/64\n', '10.128.0.0/16'],
  ['kind: KubeProxyConfiguration\nclusterCIDR: [1]\n', undefined],
  ['kind: KubeProxyConfiguration\nclusterCIDR: [', undefined],
  // More aliases than anybody writes.
  [
    `a: &a [x,x]\n${Array.from({ length: 12 }, (_, n) => `b${n}: &b${n} [${Array.from({ length: 12 }, () => `*${n ? `b${n - 1}` : 'a'}`).join()}]`).join('\n')}`,
    undefined,
  ],
])('the range that a proxy was configured with: %j', (text, range) => expect(proxyRange(text)).toBe(range));
