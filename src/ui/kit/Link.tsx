'use client';

import NextLink from 'next/link';
import type { ComponentProps } from 'react';

/**
 * A link within Viatic. What is behind it is read when somebody goes there, and not because the link can be seen: a page of a table
 * would ask for fifty people whom nobody opens.
 */
export const Link = (props: ComponentProps<typeof NextLink>) => <NextLink prefetch={false} {...props} />;
