/** Every command by name: what the one route for changes can call. */
import type { Command } from '@/commands/command';
import { clearFault, jump, setFault, setRate } from '@/commands/demo';
import { cancelDrill, startDrill } from '@/commands/drills';
import { applyPolicy, editLane } from '@/commands/policies';
import { createPolicy } from '@/commands/new-policy';
import { throttleLink } from '@/commands/links';
import { addNoticeRoute, removeNoticeRoute, takeUpCause, tryNoticeRoute } from '@/commands/notices';
import { deleteUnknown } from '@/commands/findings';
import { beginPause, endPause } from '@/commands/pauses';
import { createToken, revokeToken } from '@/commands/tokens';
import { cancelRun, holdPoint, releaseHold, retryRun, makePoint, runNow } from '@/commands/runs';

// Each command checks its own input at the border, so the registry may forget the types.
const all = [
  editLane,
  applyPolicy,
  createPolicy,
  throttleLink,
  runNow,
  makePoint,
  retryRun,
  cancelRun,
  holdPoint,
  releaseHold,
  startDrill,
  cancelDrill,
  setRate,
  jump,
  setFault,
  clearFault,
  beginPause,
  endPause,
  createToken,
  revokeToken,
  addNoticeRoute,
  removeNoticeRoute,
  tryNoticeRoute,
  takeUpCause,
  deleteUnknown,
] as unknown as ReadonlyArray<Command<object, unknown>>;

export const COMMANDS: ReadonlyMap<string, Command<object, unknown>> = new Map(all.map((c) => [c.name, c]));
