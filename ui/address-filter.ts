'use client';
import { usePathname, useRouter, useSearchParams, type ReadonlyURLSearchParams } from 'next/navigation';

/** Filters that live in the address: what they are, and setting one; an empty value takes it out. */
export function useAddressFilter(): {
  readonly search: ReadonlyURLSearchParams;
  /** `without`: what a change of the filter makes void, such as the place in a list. */
  readonly set: (key: string, value: string, without?: string) => void;
  readonly clear: () => void;
} {
  const router = useRouter();
  const path = usePathname();
  const search = useSearchParams();
  const set = (key: string, value: string, without?: string): void => {
    const next = new URLSearchParams(search);
    if (value) next.set(key, value);
    else next.delete(key);
    if (without) next.delete(without);
    router.replace(`${path}?${next}`, { scroll: false });
  };
  return { search, set, clear: () => router.replace(path) };
}
