import { useQuery } from '@tanstack/react-query';
import { api } from '../kit';

/** The files that are kept, the newest first. */
export const useFiles = () =>
  useQuery({
    queryKey: ['files'],
    queryFn: () => api<{ files: { key: string; name: string; size: number; downloads: number }[] }>('/files'),
  });

/** How large a file is: "820 kB". */
export const sayBytes = (bytes: number): string =>
  bytes < 1_000_000 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`;
