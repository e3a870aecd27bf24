'use client';
import { useRouter } from 'next/navigation';
import { useEffect } from 'react';

/** Stations that are built; the others come into the bar when they are. `key` follows g. */
export const STATIONS = [
  { name: 'Watch', href: '/', key: 'w' },
  { name: 'Workloads', href: '/workloads', key: 'l' },
  { name: 'Policies', href: '/policies', key: 'p' },
  { name: 'Runs', href: '/runs', key: 'r' },
  { name: 'Runbooks', href: '/runbooks', key: 'b' },
  { name: 'Proof', href: '/proof', key: 'o' },
] as const;

/** g and a letter go to a station; / goes to the filter of the page. */
export function useStationKeys(): void {
  const router = useRouter();
  useEffect(() => {
    let afterG = 0;
    const onKey = (event: KeyboardEvent): void => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || /INPUT|TEXTAREA|SELECT/.test(target.tagName)) return;
      if (event.key === '/') {
        const filter = document.querySelector<HTMLElement>('[data-filter]');
        if (filter) event.preventDefault();
        filter?.focus();
      } else if (event.key === 'g') afterG = Date.now();
      else if (Date.now() - afterG < 1500) {
        const station = STATIONS.find((s) => s.key === event.key);
        if (station) router.push(station.href);
        afterG = 0;
      }
    };
    document.addEventListener('keydown', onKey);
    return () => document.removeEventListener('keydown', onKey);
  }, [router]);
}
