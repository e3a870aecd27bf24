'use client';
/** Edits cadence and ladder of a lane: checked as one types, then saved as a new revision that says what it destroys. */
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { aPeriod, PERIODS } from '@/core/protect/ladder-bucket';
import type { LaneFacts } from '@/core/forecast/lane-preview';
import type { Lane } from '@/core/protect/policy';
import type { Cadence } from '@/core/time/cadence';
import { useAct, useAsk } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';
import { LanePreviewNote } from '@/ui/policies/preview';
import { LossQuestion, type LostPoints } from '@/ui/policies/loss-question';
import { TextField } from '@/ui/text-field';
import { LaneSettings, type PlaceChoices } from '@/ui/policies/lane-settings';
import { readSettings, settingsOf, type SettingsFields } from '@/ui/policies/settings-form';
import { fieldsOf, readFields, type LaneFields, type RungFields } from '@/ui/policies/lane-form';

export function LaneEditor({
  policyId,
  revision,
  lane,
  runsBy,
  looks,
  rpoMs,
  lanes,
  places,
}: {
  policyId: number;
  revision: number;
  lane: Lane;
  /** What it runs by, where it comes after another lane. */
  runsBy: Cadence;
  looks: LaneFacts | null;
  rpoMs: number | null;
  /** Names of all lanes of the policy. */
  lanes: readonly string[];
  places: PlaceChoices;
}) {
  const { role, zone } = useFrame();
  const act = useAct();
  const ask = useAsk();
  const router = useRouter();
  const [fields, setFields] = useState<LaneFields | null>(null);
  const [settings, setSettings] = useState<SettingsFields>(() => settingsOf(lane));
  const [trouble, setTrouble] = useState('');
  const [lost, setLost] = useState<readonly LostPoints[] | null>(null);
  const [said, setSaid] = useState('');
  if (role !== 'administrator') return <p className="t2">Changing a lane needs the role administrator.</p>;
  if (!fields)
    return (
      <div>
        <button
          type="button"
          className="btn"
          onClick={() => {
            setFields(fieldsOf(lane.cadence, lane.ladder));
            setSettings(settingsOf(lane));
            setSaid('');
          }}
        >
          Edit {lane.key} lane
        </button>
        {said && <p role="status">{said}</p>}
      </div>
    );
  const read = readFields(fields, lane.cadence, lane.ladder);
  const readHow = readSettings(settings, lane, zone);
  const errors = read.ok ? {} : read.errors;
  const setRung = (i: number, change: Partial<RungFields>): void =>
    setFields({ ...fields, rungs: fields.rungs.map((r, k) => (k === i ? { ...r, ...change } : r)) });
  const save = async (acceptLoss: boolean): Promise<void> => {
    if (!read.ok || !readHow.ok) return;
    const result = await act<{ revision: number }>('edit-lane', {
      policyId,
      baseRevision: revision,
      laneKey: lane.key,
      cadence: read.cadence,
      ladder: read.ladder,
      settings: readHow.settings,
      acceptLoss,
    });
    if (result.ok) {
      setFields(null);
      setLost(null);
      setTrouble('');
      setSaid(`Saved as revision ${result.value.revision}. Its workloads are out of step until you apply it.`);
      router.refresh();
    } else if (result.refusal.fields.acceptLoss) {
      const preview = await ask<{ lost: LostPoints[] }>(`/api/policies/${policyId}/loss`, {
        laneKey: lane.key,
        ladder: read.ladder,
      });
      if (preview.ok) setLost(preview.value.lost);
      else setTrouble(`${preview.refusal.title} ${preview.refusal.remedy}`);
    } else setTrouble(`${result.refusal.title} ${result.refusal.remedy}`);
  };
  return (
    <form
      aria-label={`Edit lane ${lane.key}`}
      onSubmit={(event) => {
        event.preventDefault();
        void save(false);
      }}
    >
      {lane.cadence.kind === 'every' && (
        <TextField
          id={`${lane.key}-every`}
          label={lane.kind === 'stream' ? 'A mark every' : 'Every'}
          value={fields.every}
          error={errors.every}
          onChange={(every) => setFields({ ...fields, every })}
        />
      )}
      {lane.cadence.kind === 'rule' && (
        <TextField
          id={`${lane.key}-days`}
          label="On"
          value={fields.days}
          error={errors.days}
          onChange={(days) => setFields({ ...fields, days })}
        />
      )}
      {lane.cadence.kind === 'rule' && (
        <TextField
          id={`${lane.key}-times`}
          label={`At, ${lane.cadence.zone}`}
          value={fields.times}
          error={errors.times}
          onChange={(times) => setFields({ ...fields, times })}
        />
      )}
      {fields.rungs.map((rung, i) => (
        <fieldset
          key={i}
          style={{ display: 'grid', gridTemplateColumns: '70px 1fr 1fr', gap: 8, border: 0, padding: 0 }}
        >
          <TextField
            id={`${lane.key}-count${i}`}
            label={i === 0 ? 'Keep' : 'then'}
            value={rung.count}
            error={errors[`count${i}`]}
            onChange={(count) => setRung(i, { count })}
          />
          <div className="field">
            <label htmlFor={`${lane.key}-per${i}`}>of</label>
            <select
              id={`${lane.key}-per${i}`}
              value={rung.per}
              onChange={(event) => setRung(i, { per: event.target.value as RungFields['per'] })}
            >
              <option>every point</option>
              {PERIODS.map((p) => (
                <option key={p} value={p}>
                  {aPeriod(p)}
                </option>
              ))}
            </select>
          </div>
          <TextField
            id={`${lane.key}-span${i}`}
            label="for"
            value={rung.span}
            error={errors[`span${i}`]}
            onChange={(span) => setRung(i, { span })}
          />
        </fieldset>
      ))}
      <LaneSettings
        lane={lane}
        fields={settings}
        errors={readHow.ok ? {} : readHow.errors}
        lanes={lanes}
        places={places}
        onChange={setSettings}
      />
      {read.ok && (
        <LanePreviewNote
          cadence={read.cadence.kind === 'after' ? runsBy : read.cadence}
          ladder={read.ladder}
          now={runsBy}
          looks={looks}
          rpoMs={rpoMs}
        />
      )}
      <LossQuestion
        lane={lane.key}
        lost={lost}
        onAnswer={(goOn) => {
          setLost(null);
          if (goOn) void save(true);
        }}
      />
      {trouble && (
        <p className="err" role="alert">
          {trouble}
        </p>
      )}
      <div className="flex gap-2 flex-wrap">
        <button type="submit" className="btn primary" disabled={!read.ok || !readHow.ok}>
          Save as revision {revision + 1}
        </button>
        <button
          type="button"
          className="btn quiet"
          onClick={() => setFields({ ...fields, rungs: [...fields.rungs, { per: 'day', count: '1', span: '14 d' }] })}
        >
          Add a rung
        </button>
        {fields.rungs.length > 1 && (
          <button
            type="button"
            className="btn quiet"
            onClick={() => setFields({ ...fields, rungs: fields.rungs.slice(0, -1) })}
          >
            Remove the last rung
          </button>
        )}
        <button type="button" className="btn quiet" onClick={() => setFields(null)}>
          Keep it as it is
        </button>
      </div>
    </form>
  );
}
