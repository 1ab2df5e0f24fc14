import { ProtocolError, transient } from '@praesidor/protocols/dial';
import { StepFailure, type StepContext } from '../step.ts';

/** How a step asks a controller: slow and forgetful as they are, what may be gone at the next try is tried three times. */
export const patientWith =
  ({ node, estate, log, healed }: StepContext, address: string) =>
  async <T>(what: string, act: () => Promise<T>): Promise<T> => {
    for (let tries = 1; ; tries++) {
      try {
        const answer = await act();
        if (tries > 1) await healed(`${what} failed ${tries - 1} times, then succeeded`);
        return answer;
      } catch (e) {
        const fault = ProtocolError.from(e, address);
        await log(`${what}: ${fault.message}`, 'warn');
        if (!transient(fault) || tries >= 3)
          throw new StepFailure(
            `The BMC of ${node?.host} at ${fault.message}`,
            fault.fault === 'pin'
              ? 'Compare the fingerprint with the machine, accept it under Hosts, then resume.'
              : fault.fault === 'credentials'
                ? `Correct ${estate.hosts.find((h) => h.name === node?.host)?.bmc?.credential} in the keyring, then resume.`
                : 'Look whether the controller has power and network, then resume.',
          );
      }
    }
  };
