'use client';
import { useAddressFilter } from '@/ui/address-filter';

const STATES = ['running', 'waiting', 'failed', 'missed', 'cancelled', 'succeeded'];

export function RunFilters({ day }: { day: Readonly<Record<string, number>> }) {
  const { search, set, clear } = useAddressFilter();
  const cause = search.get('cause');
  return (
    <div className="filters" role="search" aria-label="Filter runs">
      Runs that are{' '}
      <select
        aria-label="State"
        value={search.get('state') ?? ''}
        onChange={(event) => set('state', event.target.value)}
      >
        <option value="">in any state</option>
        {STATES.map((state) => (
          <option key={state} value={state}>
            {state}
          </option>
        ))}
      </select>{' '}
      of workloads named{' '}
      <input
        data-filter
        aria-label="Workload"
        placeholder="anything  /"
        defaultValue={search.get('text') ?? ''}
        maxLength={60}
        onKeyDown={(event) => event.key === 'Enter' && set('text', event.currentTarget.value)}
        onBlur={(event) => set('text', event.currentTarget.value)}
      />
      {cause && (
        <button type="button" className="btn quiet small" onClick={clear}>
          only {cause} {search.get('subject')}: show all
        </button>
      )}
      <span className="t2" style={{ marginLeft: 'auto', fontSize: 13 }}>
        Last 24 h:{' '}
        {STATES.filter((s) => day[s])
          .map((s) => `${day[s]} ${s}`)
          .join(', ') || 'no runs'}
      </span>
    </div>
  );
}
