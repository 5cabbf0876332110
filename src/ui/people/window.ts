'use client';

import { useEffect, useMemo, useState, type RefObject } from 'react';

/** Browsers give up on elements of some ten million pixels; beyond that the scroll bar stands for more than it shows. */
export const TALLEST = 12_000_000;

/** Which rows stand in view when a list of `count` rows of one height is scrolled to `top`, and where they are drawn. */
export function windowOf(
  count: number,
  row: number,
  view: number,
  top: number,
): { height: number; first: number; last: number; offset: number } {
  const full = count * row;
  const height = Math.min(full, TALLEST);
  const room = Math.max(1, height - view);
  const share = Math.min(1, Math.max(0, top / room));
  // as a share of the whole, so that the last row is at the end of the bar however long the list is
  const at = full <= TALLEST ? top : share * Math.max(0, full - view);
  const first = Math.max(0, Math.floor(at / row) - 4);
  const last = Math.min(count, Math.ceil((at + view) / row) + 4);
  return { height, first, last, offset: top - (at - first * row) };
}

/** Follows the scrolling of an element and answers with the rows in view. */
export function useWindow(scroller: RefObject<HTMLElement | null>, count: number, row: number) {
  const [view, setView] = useState({ top: 0, height: 600 });
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const read = () => setView({ top: element.scrollTop, height: element.clientHeight });
    read();
    element.addEventListener('scroll', read, { passive: true });
    const observer = new ResizeObserver(read);
    observer.observe(element);
    return () => {
      element.removeEventListener('scroll', read);
      observer.disconnect();
    };
  }, [scroller]);
  return useMemo(() => windowOf(count, row, view.height, view.top), [count, row, view]);
}
