'use client';

import { useQuery } from '@tanstack/react-query';
import { createContext, useContext, useMemo, type CSSProperties } from 'react';
import type { BrandItem, FeedView, LibraryItem, ProductsView, RenderView } from '@/core/api';
import { contrastOf, FONTS, plainBrand, type Block, type Brand, type Email, type MessageFinding } from '@/core/messages';
import { api, useStore } from '../kit';

/** What the parts of a letter that is being written share. */
export interface Desk {
  readonly message: Email;
  readonly brand: Brand;
  /** where the lines of its language begin */
  readonly start: 'left' | 'right';
  readonly startedBy: string | null;
  readonly selected: string | null;
  readonly findings: readonly MessageFinding[];
  /** the letter as the person chosen gets it, as far as it is known yet */
  readonly received: RenderView | undefined;
  readonly select: (id: string | null) => void;
  readonly put: (block: Block, field: string) => void;
  readonly act: (act: 'up' | 'down' | 'double' | 'remove' | 'keep', id: string) => void;
  readonly openConditions: () => void;
}

export const DeskContext = createContext<Desk | null>(null);
export const useDesk = (): Desk => useContext(DeskContext)!;

const FRESH = { staleTime: 30_000 };
export const useFeeds = () => useQuery({ queryKey: ['feeds'], queryFn: () => api<{ feeds: FeedView[] }>('/feeds'), ...FRESH });
export const useBrands = () => useQuery({ queryKey: ['brands'], queryFn: () => api<{ brands: BrandItem[] }>('/brands'), ...FRESH });
export const useSavedBlocks = () =>
  useQuery({ queryKey: ['library', 'blocks'], queryFn: () => api<{ items: LibraryItem[] }>('/messages?kind=blocks'), ...FRESH });
export const useRange = () =>
  useQuery({ queryKey: ['products', 'all'], queryFn: () => api<ProductsView>('/products?limit=1000'), ...FRESH });

/** The brand that a letter is set in. */
export function useBrand(key: string | undefined): Brand {
  const store = useStore();
  const { data } = useBrands();
  return useMemo(
    () => (data?.brands.find((one) => one.key === key) ?? data?.brands.find(({ isFirst }) => isFirst))?.brand ?? plainBrand(store.name),
    [data, key, store.name],
  );
}

/** Colours of words that stand on a sheet and are not the letter's: what is to be mended, what is said aside. */
const ON_LIGHT = { '--wash': '#efece4', '--stop': '#b3261e', '--caution': '#8a5a12' };
const ON_DARK = { '--wash': '#2a2f38', '--stop': '#f2938c', '--caution': '#e0ae62' };

/** The looks of a brand for a sheet on which a letter is written: they hold there, whatever the theme of the screen is. */
export const sheetStyle = ({ colours: c, font, size, width }: Brand): CSSProperties => ({
  ...(contrastOf(c.sheet, '#000000') > contrastOf(c.sheet, '#ffffff') ? ON_LIGHT : ON_DARK),
  ...({ '--ink': c.ink, '--soft': c.soft, '--accent': c.accent, '--line': c.line } as CSSProperties),
  width,
  background: c.sheet,
  color: c.ink,
  fontFamily: FONTS[font],
  fontSize: size,
  lineHeight: 1.55,
  borderColor: c.line,
});
