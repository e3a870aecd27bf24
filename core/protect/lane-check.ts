/** Whether the lanes of a policy can work together: what is wrong, in which lane and field, and what to write instead. */
import { canCaptureTogether, chainOf, placeKindOf, type Lane } from '@/core/protect/policy';

export interface LaneFault {
  readonly lane: string;
  readonly field: keyof Lane;
  readonly says: string;
}

/** Numbers of what can take copies in. */
export interface KnownPlaces {
  readonly datastores: ReadonlySet<number>;
  readonly repositories: ReadonlySet<number>;
}

/** What is wrong with lanes, none if nothing is. O(lanes squared). */
export function laneFaults(lanes: readonly Lane[], places: KnownPlaces): LaneFault[] {
  return lanes.flatMap((lane) =>
    [
      keyFault(lanes, lane),
      cadenceFault(lanes, lane),
      sourceFault(lanes, lane),
      targetFault(lane, places),
      kindFault(lane),
    ]
      .filter((fault) => fault !== null)
      .map(([field, says]) => ({ lane: lane.key, field, says })),
  );
}

type Found = readonly [field: keyof Lane, says: string] | null;

function keyFault(lanes: readonly Lane[], lane: Lane): Found {
  if (!/^[a-z][a-z0-9-]{0,23}$/.test(lane.key)) return ['key', 'Take small letters, digits and hyphens, at most 24.'];
  return lanes.filter((other) => other.key === lane.key).length > 1 ? ['key', 'Another lane has this name.'] : null;
}

function cadenceFault(lanes: readonly Lane[], lane: Lane): Found {
  if (lane.cadence.kind === 'continuous') return ['cadence', 'Say how often the stream is marked.'];
  const driving = chainOf(lanes, lane).at(-1) as Lane;
  if (driving.cadence.kind === 'after')
    return ['cadence', 'It comes after a lane that is not there, or after itself. Name a lane that runs by itself.'];
  return lane.kind === 'stream' && lane.cadence.kind !== 'every'
    ? ['cadence', 'A stream is marked every so often: give a span.']
    : null;
}

function sourceFault(lanes: readonly Lane[], lane: Lane): Found {
  if (lane.kind !== 'copy')
    return lane.source === undefined ? null : ['source', 'Only a copy lane is made from another lane.'];
  const source = lanes.find((other) => other.key === lane.source);
  return source && source !== lane && source.kind !== 'snapshot'
    ? null
    : ['source', 'Name another lane of the policy whose copies lie elsewhere, such as its backup lane.'];
}

function targetFault(lane: Lane, { datastores, repositories }: KnownPlaces): Found {
  const targets = Object.values(lane.targets);
  if (lane.kind === 'snapshot')
    return targets.length ? ['targets', 'A snapshot stays on its own datastore: name no place.'] : null;
  if (!targets.length) return ['targets', 'Say for at least one site where its copies go.'];
  const kind = placeKindOf(lane.kind);
  const known = kind === 'datastore' ? datastores : repositories;
  const unknown = targets.find((id) => !known.has(id));
  return unknown === undefined ? null : ['targets', `There is no ${kind} ${unknown}.`];
}

function kindFault(lane: Lane): Found {
  if (lane.consistency !== 'crash' && lane.kind === 'stream')
    return ['consistency', 'A stream goes on without guest freeze; take crash.'];
  if (lane.together && !canCaptureTogether(lane.kind))
    return ['together', 'Only lanes that begin with a snapshot can capture workloads together.'];
  if (lane.kind === 'stream' && (lane.ladder.reading !== 'bands' || lane.ladder.rungs[0]?.per !== null))
    return ['ladder', 'The first rung of a stream keeps every point: it is the span of the journal.'];
  return lane.firstCopy && lane.firstCopy !== 'at-once' && (lane.kind === 'snapshot' || lane.kind === 'copy')
    ? ['firstCopy', 'Only what is sent from the source has a first full copy to choose for.']
    : null;
}

/** Lanes that would have nowhere to write for workloads of a site. O(lanes x sites). */
export function lanesWithoutPlace(
  lanes: readonly Lane[],
  sites: ReadonlyArray<{ readonly id: number; readonly name: string; readonly workloads: number }>,
): Array<{ readonly lane: string; readonly site: string; readonly workloads: number }> {
  return lanes
    .filter((lane) => lane.kind !== 'snapshot')
    .flatMap((lane) =>
      sites
        .filter((site) => lane.targets[String(site.id)] === undefined)
        .map((site) => ({ lane: lane.key, site: site.name, workloads: site.workloads })),
    );
}
