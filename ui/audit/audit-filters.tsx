'use client';
import { usePathname, useRouter, useSearchParams } from 'next/navigation';

export function AuditFilters({ people, actions }: { people: readonly string[]; actions: readonly string[] }) {
  const router = useRouter();
  const path = usePathname();
  const search = useSearchParams();
  const set = (key: string, value: string): void => {
    const next = new URLSearchParams(search);
    if (value) next.set(key, value);
    else next.delete(key);
    next.delete('before');
    router.replace(`${path}?${next}`, { scroll: false });
  };
  return (
    <div className="filters" role="search" aria-label="Filter the audit trail">
      What{' '}
      <select aria-label="Person" value={search.get('person') ?? ''} onChange={(e) => set('person', e.target.value)}>
        <option value="">anybody</option>
        {people.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>{' '}
      did, of kind{' '}
      <select aria-label="Deed" value={search.get('action') ?? ''} onChange={(e) => set('action', e.target.value)}>
        <option value="">any</option>
        {actions.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>{' '}
      with{' '}
      <input
        data-filter
        aria-label="Text"
        placeholder="anything  /"
        maxLength={60}
        defaultValue={search.get('text') ?? ''}
        onKeyDown={(e) => e.key === 'Enter' && set('text', e.currentTarget.value)}
        onBlur={(e) => set('text', e.currentTarget.value)}
      />
      <a className="btn small" style={{ marginLeft: 'auto' }} href={`/api/audit?${search}`} download>
        Save as CSV
      </a>
    </div>
  );
}
