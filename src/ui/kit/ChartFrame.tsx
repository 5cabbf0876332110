'use client';

import { useRef, type ReactNode } from 'react';
import { attempt } from './Ask';
import { Button } from './form';
import { pngOf, standalone } from './picture';
import { saveAs } from './saveAs';

/** A chart with what takes it along: its picture is saved as it is seen, with its title and in the colours of the day. */
export function ChartFrame({ name, title, children }: { name: string; title: string; children: ReactNode }) {
  const frame = useRef<HTMLDivElement>(null);
  const picture = () => {
    const svg = frame.current?.querySelector('svg');
    return svg ? standalone(svg, title) : null;
  };
  return (
    <div ref={frame} className="relative">
      {children}
      <div className="-ml-3 mt-1 flex gap-1 text-sm">
        <Button
          kind="quiet"
          onClick={() => {
            const svg = picture();
            if (svg) saveAs(`${name}.svg`, svg, 'image/svg+xml');
          }}
        >
          Save as SVG
        </Button>
        <Button
          kind="quiet"
          onClick={() => {
            const svg = picture();
            if (svg) void attempt(async () => saveAs(`${name}.png`, await pngOf(svg), 'image/png'));
          }}
        >
          Save as PNG
        </Button>
      </div>
    </div>
  );
}
