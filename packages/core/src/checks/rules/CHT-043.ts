import { portsOfControlPlane, usualApiPort } from '../../charter/ports.ts';
import { at, each, setTo } from '../check.ts';

export const CHT043 = each('Charter', {
  code: 'CHT-043',
  severity: 'stop',
  about: 'the port of the API is one that another program of a control-plane host has',
  find: (d) => {
    const { port } = d.api;
    const who = port === undefined ? undefined : portsOfControlPlane[port];
    return who
      ? [
          at(d, ['api', 'port'], {
            title: `Port ${port} is not free for the API`,
            text: `On each control-plane host ${who} has port ${port}; of two programs at one address and port the second does not start.`,
            remedy: setTo(d, ['api', 'port'], undefined, `Let it be ${usualApiPort}`),
          }),
        ]
      : [];
  },
});
