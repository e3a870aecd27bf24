'use client';
import { useAddressFilter } from '@/ui/address-filter';

export function AuditFilters({ people, actions }: { people: readonly string[]; actions: readonly string[] }) {
  const filter = useAddressFilter();
  const { search } = filter;
  const set = (key: string, value: string): void => filter.set(key, value, 'before');
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
