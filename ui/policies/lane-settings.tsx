'use client';
/** The part of the lane editor that is neither cadence nor ladder: consistency, places, the way there, and when it may start. */
import {
  COMPRESSIONS,
  DISK_ROLES,
  FIRST_COPIES,
  canCaptureTogether,
  placeKindOf,
  type FirstCopy,
  type Lane,
  type Sending,
} from '@/core/protect/policy';
import { useFrame } from '@/ui/frame/frame-context';
import { TextField } from '@/ui/text-field';
import type { FreezeChoice, SettingsFields } from '@/ui/policies/settings-form';

export interface PlaceChoices {
  readonly sites: ReadonlyArray<{ readonly id: number; readonly name: string }>;
  readonly places: ReadonlyArray<{
    readonly kind: 'repository' | 'datastore';
    readonly id: number;
    readonly name: string;
    readonly siteId: number;
  }>;
}

const FREEZES: ReadonlyArray<readonly [FreezeChoice, string]> = [
  ['crash', 'without'],
  ['filesystem', 'file systems flushed; the run fails without'],
  ['filesystem or crash', 'file systems flushed, where it can be had'],
  ['application', 'with; the run fails without'],
  ['application or crash', 'with, where it can be had'],
];
const FIRST_WORDS: Readonly<Record<FirstCopy, string>> = {
  'at-once': 'over the line at once',
  'at-night': 'over the line at night, 22:00 to 06:00',
  shipped: 'on a disk that is sent',
};

export function LaneSettings({
  lane,
  fields,
  errors,
  lanes,
  places,
  onChange,
}: {
  lane: Lane;
  fields: SettingsFields;
  errors: Readonly<Record<string, string>>;
  /** Names of all lanes of the policy. */
  lanes: readonly string[];
  places: PlaceChoices;
  onChange: (fields: SettingsFields) => void;
}) {
  const { zone } = useFrame();
  const set = (change: Partial<SettingsFields>): void => onChange({ ...fields, ...change });
  const taken = lane.kind !== 'copy';
  const sent = lane.kind !== 'snapshot';
  return (
    <details className="settings">
      <summary>How it is taken and sent</summary>
      <div className="settings-grid">
        {taken && lane.kind !== 'stream' && (
          <Choice
            id={`${lane.key}-freeze`}
            label="Guest freeze"
            value={fields.freeze}
            choices={FREEZES}
            onChange={(freeze) => set({ freeze })}
          />
        )}
        {lane.kind === 'copy' && (
          <Choice
            id={`${lane.key}-source`}
            label="Copies the points of"
            value={fields.source}
            choices={lanes.filter((key) => key !== lane.key).map((key) => [key, key] as const)}
            onChange={(source) => set({ source })}
          />
        )}
        {sent && (
          <Choice
            id={`${lane.key}-compression`}
            label="Compression on the way"
            value={fields.compression}
            choices={COMPRESSIONS.map((c) => [c, c] as const)}
            onChange={(compression: Sending['compression']) => set({ compression })}
          />
        )}
        {sent && taken && (
          <Choice
            id={`${lane.key}-first`}
            label="First full copy"
            value={fields.firstCopy}
            choices={FIRST_COPIES.map((first) => [first, FIRST_WORDS[first]] as const)}
            onChange={(firstCopy) => set({ firstCopy })}
          />
        )}
        <TextField
          id={`${lane.key}-only`}
          label={`Starts only (${zone})`}
          value={fields.only}
          error={errors.only}
          most={200}
          placeholder="at all hours"
          onChange={(only) => set({ only })}
        />
        <TextField
          id={`${lane.key}-never`}
          label="Never starts"
          value={fields.never}
          error={errors.never}
          most={200}
          placeholder="no hours"
          onChange={(never) => set({ never })}
        />
      </div>
      {sent && <Targets lane={lane} fields={fields} places={places} onChange={(targets) => set({ targets })} />}
      <div className="flex flex-wrap gap-3" style={{ paddingBottom: 10 }}>
        {sent && (
          <Tick label="Encrypted on the way" checked={fields.encrypted} onChange={(encrypted) => set({ encrypted })} />
        )}
        {canCaptureTogether(lane.kind) && (
          <Tick
            label="Workloads of an application at one instant"
            checked={fields.together}
            onChange={(together) => set({ together })}
          />
        )}
        {taken &&
          DISK_ROLES.map((role) => (
            <Tick
              key={role}
              label={`Leave out ${role}`}
              checked={fields.excludeRoles.includes(role)}
              onChange={(out) =>
                set({ excludeRoles: DISK_ROLES.filter((r) => (r === role ? out : fields.excludeRoles.includes(r))) })
              }
            />
          ))}
      </div>
      {fields.excludeRoles.includes('system') && (
        <p className="err" role="alert">
          Without its system disk a workload does not boot from these points.
        </p>
      )}
    </details>
  );
}

function Targets({
  lane,
  fields,
  places,
  onChange,
}: {
  lane: Lane;
  fields: SettingsFields;
  places: PlaceChoices;
  onChange: (targets: SettingsFields['targets']) => void;
}) {
  const kind = placeKindOf(lane.kind);
  const fits = places.places.filter((place) => place.kind === kind);
  const siteName = (id: number): string => places.sites.find((site) => site.id === id)?.name ?? '';
  const choose = (siteId: number, text: string): void => {
    const rest = Object.fromEntries(Object.entries(fields.targets).filter(([site]) => site !== String(siteId)));
    onChange(text === '' ? rest : { ...rest, [siteId]: Number(text) });
  };
  return (
    <div className="settings-grid">
      {places.sites.map((site) => (
        <Choice
          key={site.id}
          id={`${lane.key}-to-${site.id}`}
          label={`Workloads at ${site.name} to`}
          value={String(fields.targets[String(site.id)] ?? '')}
          choices={[
            ['', 'no place'],
            ...fits.map((place) => [String(place.id), `${place.name}, ${siteName(place.siteId)}`] as const),
          ]}
          onChange={(text) => choose(site.id, text)}
        />
      ))}
    </div>
  );
}

function Choice<T extends string>({
  id,
  label,
  value,
  choices,
  onChange,
}: {
  id: string;
  label: string;
  value: T;
  choices: ReadonlyArray<readonly [T, string]>;
  onChange: (value: T) => void;
}) {
  return (
    <div className="field">
      <label htmlFor={id}>{label}</label>
      <select id={id} value={value} onChange={(event) => onChange(event.target.value as T)}>
        {choices.map(([choice, words]) => (
          <option key={choice} value={choice}>
            {words}
          </option>
        ))}
      </select>
    </div>
  );
}

function Tick({ label, checked, onChange }: { label: string; checked: boolean; onChange: (on: boolean) => void }) {
  return (
    <label className="flex items-center gap-1">
      <input type="checkbox" checked={checked} onChange={(event) => onChange(event.target.checked)} />
      {label}
    </label>
  );
}
