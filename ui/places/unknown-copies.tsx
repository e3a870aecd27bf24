'use client';
/** Deleting what belongs to nothing here, asked with its number. */
import { useState } from 'react';
import { useAct } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';
import { Question } from '@/ui/question';
import { useRouter } from 'next/navigation';

export function UnknownCopies({
  place,
  placeKind,
  placeId,
  count,
}: {
  place: string;
  placeKind: string;
  placeId: number;
  count: number;
}) {
  const { role } = useFrame();
  const act = useAct();
  const router = useRouter();
  const [asking, setAsking] = useState(false);
  const [said, setSaid] = useState('');
  const answered = async (goOn: boolean): Promise<void> => {
    setAsking(false);
    if (!goOn) return;
    const result = await act('delete-unknown-copies', { placeKind, placeId, count });
    setSaid(result.ok ? `Deleted ${count}.` : `${result.refusal.title} ${result.refusal.remedy}`);
    if (result.ok) router.refresh();
  };
  return (
    <p className="flex items-center gap-2">
      <span>
        {count} at {place} belong to nothing here.
      </span>
      <button type="button" className="btn small" disabled={role !== 'administrator'} onClick={() => setAsking(true)}>
        Delete them …
      </button>
      {said && <span role="status">{said}</span>}
      <Question
        open={asking}
        title={`Delete ${count} copies at ${place}?`}
        facts={[
          ['Loses', `${count} copies that no run or point of ours made`],
          ['Way back', 'None. Somebody else may count on them; ask who writes there.'],
        ]}
        safe="Leave them there"
        danger={`Delete ${count} copies`}
        onAnswer={(goOn) => void answered(goOn)}
      />
    </p>
  );
}
