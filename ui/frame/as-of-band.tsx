'use client';
/** Says clearly that the page does not show now; nothing can be changed from it. */
import { useSearchParams } from 'next/navigation';
import { clock, day } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';

export function AsOfBand() {
  const { zone } = useFrame();
  const at = Number(useSearchParams().get('at'));
  return (
    <div className="asof-band" role="status">
      Showing {day(at, zone)} {clock(at, zone)}, not now. Changing things is off; press n to return.
    </div>
  );
}
