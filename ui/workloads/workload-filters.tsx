'use client';
/** Filters that read as a sentence and live in the address. */
import { useEffect, useState } from 'react';
import { useAddressFilter } from '@/ui/address-filter';

interface Choice {
  readonly id: number;
  readonly name: string;
}

export function WorkloadFilters({
  sites,
  policies,
  total,
}: {
  sites: readonly string[];
  policies: readonly Choice[];
  total: number;
}) {
  const { search, set, clear } = useAddressFilter();
  const [text, setText] = useState(search.get('text') ?? '');
  useEffect(() => {
    if (text === (search.get('text') ?? '')) return;
    const timer = setTimeout(() => set('text', text), 250);
    return () => clearTimeout(timer);
  });
  const pick = (key: string, label: string, options: ReadonlyArray<readonly [string, string]>) => (
    <select aria-label={label} value={search.get(key) ?? ''} onChange={(event) => set(key, event.target.value)}>
      {options.map(([value, name]) => (
        <option key={value} value={value}>
          {name}
        </option>
      ))}
    </select>
  );
  const any = ['text', 'standing', 'tier', 'site', 'policy', 'unproven'].some((key) => search.has(key));
  return (
    <div className="filters" role="search" aria-label="Filter workloads">
      <b>{total}</b> workloads that are{' '}
      {pick('standing', 'Standing', [
        ['', 'in any standing'],
        ['over', 'over their RPO'],
        ['closing', 'closing'],
        ['inside', 'inside'],
      ])}{' '}
      in {pick('tier', 'Tier', [['', 'any tier'], ...['1', '2', '3', '4'].map((t) => [t, `tier ${t}`] as const)])} at{' '}
      {pick('site', 'Site', [['', 'any site'], ...sites.map((s) => [s, s] as const)])} under{' '}
      {pick('policy', 'Policy', [
        ['', 'any policy'],
        ['none', 'no policy'],
        ...policies.map((p) => [String(p.id), p.name] as const),
      ])}{' '}
      {pick('unproven', 'Proof', [
        ['', 'proven or not'],
        ['1', 'unproven'],
      ])}{' '}
      named{' '}
      <input
        data-filter
        aria-label="Name or application"
        placeholder="anything  /"
        value={text}
        maxLength={100}
        onChange={(event) => setText(event.target.value)}
      />
      {any && (
        <button type="button" className="btn quiet small" onClick={() => (setText(''), clear())}>
          Show all
        </button>
      )}
    </div>
  );
}
