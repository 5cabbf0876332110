declare module 'http_ece' {
  import type { ECDH } from 'node:crypto';
  interface Options {
    readonly version: 'aes128gcm';
    readonly privateKey: ECDH;
    readonly authSecret: string;
  }
  const ece: { decrypt(body: Buffer, options: Options): Buffer };
  export default ece;
}
