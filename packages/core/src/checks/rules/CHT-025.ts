import { at, each, setTo } from '../check.ts';

export const CHT025 = each('Charter', {
  code: 'CHT-025',
  severity: 'stop',
  about: 'certificates would outlive the authority that signs them',
  find: (c) => {
    const days = c.certificates?.days ?? 365;
    const caDays = c.certificates?.caDays ?? 3650;
    return days > caDays
      ? [
          at(c, ['certificates', 'days'], {
            title: `Certificates of ${days} days, signed by an authority of ${caDays}`,
            text: `After ${caDays} days nothing verifies them any more, though they say ${days}.`,
            remedy: setTo(
              c,
              ['certificates', 'days'],
              Math.max(1, Math.floor(caDays / 10)),
              `Set ${Math.max(1, Math.floor(caDays / 10))}`,
            ),
          }),
        ]
      : [];
  },
});
