'use client';

import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { LogOut, Moon, Search, Sun } from 'lucide-react';
import { usePathname } from 'next/navigation';
import { useEffect, useState, type ReactNode } from 'react';
import { Toaster } from 'sonner';
import type { ClockView } from '@/core/api';
import { Clock } from './Clock';
import { SearchAndDo } from './SearchAndDo';
import { placeOf, SECTIONS } from './sections';
import { Notices } from '../comments';
import { Link, type Me, MeProvider, StoreProvider, type StoreInfo, useMayNot } from '../kit';

/** The frame of every screen: sections, search-and-do, store time, the signed-in person. */
export function Frame({
  user,
  store,
  clock,
  signOut,
  children,
}: {
  user: Me;
  store: StoreInfo;
  clock: ClockView;
  signOut: () => Promise<void>;
  children: ReactNode;
}) {
  const [client] = useState(
    () => new QueryClient({ defaultOptions: { queries: { staleTime: 5_000, refetchOnWindowFocus: true, retry: 1 } } }),
  );
  const [isSearching, setSearching] = useState(false);
  const path = usePathname();

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault();
        setSearching((open) => !open);
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);

  return (
    <QueryClientProvider client={client}>
      <StoreProvider value={store}>
        <MeProvider value={user}>
          <a href="#main" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-panel focus:p-2">
            Skip to the content
          </a>
          <header className="bar flex h-12 items-stretch gap-1 bg-bar px-4 text-on-bar">
            <Link href="/today" className="mr-2 flex items-center gap-2 font-semibold" aria-label="Viatic, to the day">
              <svg width="26" height="18" viewBox="0 0 26 18" aria-hidden="true">
                <path d="M1 14h8l8-10h8" fill="none" stroke="currentColor" strokeWidth="2.5" />
                <circle cx="5" cy="14" r="3" fill="var(--bar)" stroke="currentColor" strokeWidth="1.8" />
                <circle cx="21" cy="4" r="3" fill="var(--bar)" stroke="currentColor" strokeWidth="1.8" />
              </svg>
              Viatic
            </Link>
            <nav aria-label="Sections" className="flex items-stretch">
              {SECTIONS.filter((section) => !section.demoOnly || store.isDemo).map((section) => {
                const isHere = [section.href, ...(section.also ?? [])].some((place) => path === place || path.startsWith(`${place}/`));
                return (
                  <Link
                    key={section.href}
                    href={section.href}
                    aria-current={isHere ? 'page' : undefined}
                    className={clsx(
                      'flex items-center border-b-[3px] px-2.5 pt-[3px]',
                      isHere ? 'border-on-bar font-semibold' : 'border-transparent opacity-85 hover:opacity-100',
                    )}
                  >
                    {section.name}
                  </Link>
                );
              })}
            </nav>
            <div className="flex-1" />
            <button
              type="button"
              onClick={() => setSearching(true)}
              className="my-2 flex items-center gap-2 whitespace-nowrap rounded-md border border-on-bar/40 px-2.5 hover:bg-on-bar/10"
            >
              <Search size={16} aria-hidden="true" /> Search and do <kbd className="font-mono text-xs opacity-80">Ctrl K</kbd>
            </button>
            <Clock initial={clock} canMove={store.isDemo} />
            <Notices />
            <ThemeSwitch />
            <div className="flex items-center gap-1 pl-1">
              <Link href="/account" title={`${user.email}: your account`} className="whitespace-nowrap hover:underline">
                {user.name}
              </Link>
              <form action={signOut}>
                <button
                  type="submit"
                  aria-label="Sign out"
                  title="Sign out"
                  className="grid size-8 place-items-center rounded-md hover:bg-on-bar/10"
                >
                  <LogOut size={16} aria-hidden="true" />
                </button>
              </form>
            </div>
          </header>
          <ReadsHere path={path} />
          <main id="main">{children}</main>
          <SearchAndDo isOpen={isSearching} onOpenChange={setSearching} signOut={signOut} />
          <Toaster
            position="bottom-right"
            toastOptions={{
              style: {
                background: 'var(--panel)',
                color: 'var(--ink)',
                border: '1px solid var(--line)',
                boxShadow: 'none',
                fontFamily: 'inherit',
              },
            }}
          />
        </MeProvider>
      </StoreProvider>
    </QueryClientProvider>
  );
}

/** Tells whose role changes nothing at this place that they read here. */
function ReadsHere({ path }: { path: string }) {
  const why = useMayNot()(placeOf(path));
  return (
    why && (
      <p role="note" className="border-b border-line bg-wash px-6 py-1.5 text-soft">
        You read here. {why}
      </p>
    )
  );
}

/** Switches between day and night, and remembers it. */
function ThemeSwitch() {
  const [theme, setTheme] = useState<'light' | 'dark'>('light');
  useEffect(() => setTheme(document.documentElement.dataset.theme === 'dark' ? 'dark' : 'light'), []);
  const other = theme === 'dark' ? 'light' : 'dark';
  return (
    <button
      type="button"
      aria-label={`Switch to the ${other} theme`}
      title={`Switch to the ${other} theme`}
      className="my-2 grid size-8 place-items-center rounded-md hover:bg-on-bar/10"
      onClick={() => {
        document.documentElement.dataset.theme = other;
        document.cookie = `viatic_theme=${other}; path=/; max-age=31536000; samesite=lax`;
        setTheme(other);
      }}
    >
      {theme === 'dark' ? <Sun size={16} aria-hidden="true" /> : <Moon size={16} aria-hidden="true" />}
    </button>
  );
}
