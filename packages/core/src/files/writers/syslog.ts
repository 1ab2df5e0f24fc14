import { hostOf } from '../../access/credentials.ts';
import { nodeFile, type NodeWriter } from '../kit.ts';

const port = (endpoint: string) => /:(\d+)$/.exec(endpoint.replace(/^\[[^\]]*\]/, ''))?.[1] ?? '514';

/** Where the logs of a node go (rsyslog.conf(5)): over TCP (RFC 6587), kept on disk while the server is away. */
export const syslog: NodeWriter = {
  name: 'logs to a server',
  write: ({ plan }) => {
    const { syslog: to } = plan.charter;
    if (!to) return [];
    const lines = [
      'global(workDirectory="/var/spool/rsyslog")',
      'action(type="omfwd"',
      `  target="${hostOf(to)}" port="${port(to)}" protocol="tcp"`,
      '  template="RSYSLOG_SyslogProtocol23Format"',
      '  queue.type="LinkedList" queue.filename="praesidor" queue.maxDiskSpace="256m" queue.saveOnShutdown="on"',
      '  action.resumeRetryCount="-1")',
    ];
    return [nodeFile('/etc/rsyslog.d/30-praesidor.conf', lines.join('\n'), ['charter.syslog'])];
  },
};
