import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { initWasm, Resvg } from '@resvg/resvg-wasm';

/** A picture in a mail has so many dots for each of its pixels. */
const SHARP = 2;

let ready: Promise<Uint8Array[]> | null = null;
/** The program that draws and the font it draws with, loaded once. */
async function load(): Promise<Uint8Array[]> {
  const { resolve } = createRequire(import.meta.url);
  await initWasm(readFile(resolve('@resvg/resvg-wasm/index_bg.wasm')));
  return Promise.all([readFile(resolve('@expo-google-fonts/overpass/400Regular/Overpass_400Regular.ttf'))]);
}

/** An SVG as a PNG, twice as sharp: drawn with the font that ships along, so that it is the same on every machine. */
export async function pngOf(svg: string): Promise<Buffer> {
  ready ??= load();
  const fontBuffers = await ready;
  const drawn = new Resvg(svg, {
    fitTo: { mode: 'zoom', value: SHARP },
    font: { fontBuffers, loadSystemFonts: false, defaultFontFamily: 'Overpass' },
  });
  try {
    return Buffer.from(drawn.render().asPng());
  } finally {
    drawn.free();
  }
}
