'use client';
/** Says which points a shorter ladder would let go, and asks. */
import { when } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { Question } from '@/ui/question';

export interface LostPoints {
  readonly workloadId: number;
  readonly name: string;
  readonly takenMs: readonly number[];
}

/** Instants named for one workload; more are counted. */
const NAMED = 2;

export function LossQuestion({
  lane,
  lost,
  onAnswer,
}: {
  lane: string;
  /** Null: nothing is asked. */
  lost: readonly LostPoints[] | null;
  onAnswer: (goOn: boolean) => void;
}) {
  const { zone, nowMs } = useFrame();
  const list = lost ?? [];
  const points = list.reduce((sum, w) => sum + w.takenMs.length, 0);
  const all = list.flatMap((w) => w.takenMs);
  const oldest = all.reduce((a, b) => Math.min(a, b), Infinity);
  const newest = all.reduce((a, b) => Math.max(a, b), 0);
  const range = all.length ? `, taken between ${when(oldest, zone, nowMs)} and ${when(newest, zone, nowMs)}` : '';
  return (
    <Question
      open={lost !== null}
      title={`Let ${points} points of the ${lane} lane go?`}
      facts={[
        ['Loses', `${points} points of ${list.length} workloads${range}`],
        ['When', 'With the next run after the revision is applied; held and immutable points stay'],
        ['Way back', 'None once they are gone; until it is applied, another revision keeps them'],
      ]}
      safe="Keep these points"
      danger={`Save and let ${points} points go`}
      onAnswer={onAnswer}
    >
      <div className="lost">
        <table>
          <thead>
            <tr>
              <th>Workload</th>
              <th className="r">Points</th>
              <th>Taken</th>
            </tr>
          </thead>
          <tbody>
            {list.map((w) => (
              <tr key={w.workloadId}>
                <td>{w.name}</td>
                <td className="r">{w.takenMs.length}</td>
                <td>
                  {w.takenMs
                    .slice(0, NAMED)
                    .map((ms) => when(ms, zone, nowMs))
                    .join(', ')}
                  {w.takenMs.length > NAMED && ` and ${w.takenMs.length - NAMED} older`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Question>
  );
}
