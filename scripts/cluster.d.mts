/** What tests in TypeScript use of the scripts that start PostgreSQL. */
export interface Cluster {
  readonly port: number;
  readonly place: string;
  url(name: string): string;
  stop(): Promise<void>;
}
export function ensurePackages(wanted: readonly string[]): void;
export function startCluster(
  folder: string,
  options?: { isThrowaway?: boolean; port?: number | null; settings?: { readonly [name: string]: string | number } },
): Promise<Cluster>;
export function copyCluster(
  cluster: Cluster,
  folder: string,
  options?: { follows?: boolean; archive?: string | null; until?: string | null },
): { readonly [name: string]: string };
export function serversFolder(path: string): string;
export function startPooler(cluster: Cluster, folder: string): Promise<{ url(name: string): string; stop(): Promise<unknown> }>;
export function freePort(): Promise<number>;
