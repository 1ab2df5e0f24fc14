import { standing } from '../../hosts/guests.ts';
import { estateAt } from '../../reading/index.ts';
import { each } from '../check.ts';

export const HST011 = each('Hypervisor', {
  code: 'HST-011',
  severity: 'stop',
  about: 'a hypervisor is promised more memory or processor than it has',
  find: (h, view) => {
    const on = standing(estateAt(view, h.site), h.site).filter((p) => p.on === h.name);
    const memory = on.reduce((s, p) => s + p.memoryGiB, 0);
    const vcpu = on.reduce((s, p) => s + p.vcpu, 0);
    const room = h.memoryGiB - h.keepsGiB;
    const cores = h.cores * h.overcommit;
    if (memory <= room && vcpu <= cores) return [];
    const charters = [
      ...new Set(view.by('Host', 'hypervisor', h.name).flatMap((x) => (x.held && x.state === 'held' ? [x.held.charter] : []))),
    ];
    return [
      {
        subject: { kind: 'Hypervisor' as const, name: h.name },
        path: [memory > room ? 'memoryGiB' : 'cores'],
        site: h.site,
        charters,
        title: `${h.name} is promised ${memory > room ? `${memory} GiB of ${room} GiB` : `${vcpu} vCPU of ${cores}`}`,
        text: `${on.length} guests stand on it. ${memory > room ? `It has ${h.memoryGiB} GiB and keeps ${h.keepsGiB} for itself; memory is not promised twice` : `It has ${h.cores} cores, each promised ${h.overcommit} times at most`}.`,
      },
    ];
  },
});
