'use client';

import { useEffect, useLayoutEffect, useRef, useState, type ReactNode } from 'react';
import { createPortal } from 'react-dom';

/** Something that stands at a place of the screen until one presses elsewhere or Escape; it stays within the window. */
export function Floating({ at, onClose, children }: { at: { left: number; top: number }; onClose: () => void; children: ReactNode }) {
  const box = useRef<HTMLDivElement>(null);
  const [place, setPlace] = useState(at);
  useLayoutEffect(() => {
    const { width, height } = box.current!.getBoundingClientRect();
    setPlace({
      left: Math.max(8, Math.min(at.left, window.innerWidth - width - 8)),
      top: at.top + height > window.innerHeight - 8 ? Math.max(8, window.innerHeight - height - 8) : at.top,
    });
  }, [at.left, at.top]);
  useEffect(() => {
    const away = (event: PointerEvent) => {
      if (!box.current?.contains(event.target as Node)) onClose();
    };
    const onKey = (event: KeyboardEvent) => {
      if (event.key === 'Escape') onClose();
    };
    window.addEventListener('pointerdown', away, true);
    window.addEventListener('keydown', onKey);
    return () => {
      window.removeEventListener('pointerdown', away, true);
      window.removeEventListener('keydown', onKey);
    };
  }, [onClose]);
  return createPortal(
    <div ref={box} style={{ left: place.left, top: place.top }} className="fixed z-[70]">
      {children}
    </div>,
    document.body,
  );
}
