import '@fontsource-variable/archivo/standard.css';
import '@fontsource-variable/archivo/standard-italic.css';
import '@fontsource-variable/red-hat-mono';
import './globals.css';
import type { Metadata } from 'next';
import type { ReactNode } from 'react';
import { cookies } from 'next/headers';

export const metadata: Metadata = { title: { default: 'Anchor Bay', template: '%s, Anchor Bay' } };

export default async function RootLayout({ children }: { children: ReactNode }) {
  const theme = (await cookies()).get('anchor_theme')?.value === 'dark' ? 'dark' : 'light';
  return (
    <html lang="en" data-theme={theme} suppressHydrationWarning>
      <body>{children}</body>
    </html>
  );
}
