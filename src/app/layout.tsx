import type { Metadata } from 'next';
import { cookies } from 'next/headers';
import type { ReactNode } from 'react';
import './globals.css';

export const metadata: Metadata = {
  title: { default: 'Viatic', template: '%s · Viatic' },
  description: 'The right message at the right moment, and proof of what it earned.',
};

export default async function RootLayout({ children }: { children: ReactNode }) {
  const theme = (await cookies()).get('viatic_theme')?.value === 'dark' ? 'dark' : 'light';
  return (
    <html lang="en" data-theme={theme}>
      <body>{children}</body>
    </html>
  );
}
