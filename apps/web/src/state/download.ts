import { useMutation } from '@tanstack/react-query';
import { ask } from '../api/client.ts';

/** A file that the server makes when it is asked for: saved under a name, or refused in words. */
export const useDownload = (path: string, file: string) =>
  useMutation<void, Error>({
    mutationFn: async () => {
      const { text } = await ask('GET', path);
      const link = document.createElement('a');
      link.href = URL.createObjectURL(new Blob([text]));
      link.download = file;
      link.click();
      URL.revokeObjectURL(link.href);
    },
  });
