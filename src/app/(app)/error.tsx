'use client';

import { Failed } from '@/ui/kit';

export default function ErrorPage({ error, reset }: { error: Error; reset: () => void }) {
  return <Failed error={new Error(error.message || 'Something went wrong on our side.')} retry={reset} />;
}
