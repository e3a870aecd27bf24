/** The stand-in's controller without HTTP between: for seeding, where five weeks pass in a minute. */
import { isCauseCode } from '@/core/protect/cause';
import type { EpochMs } from '@/core/units';
import {
  ControllerError,
  type FoundCopy,
  type FoundSnapshot,
  type SiteController,
  type StreamMark,
  type StreamStatus,
  type TransferProgress,
} from '@/connectors/site-controller';
import type { Controller, OperationName } from '@/standin/operations';
import { WorldRefusal } from '@/standin/world/refusal';

export function localController(controller: Controller, nowMs: () => EpochMs): SiteController {
  const call = <T>(name: OperationName, body: unknown): Promise<T> => {
    try {
      return Promise.resolve(controller.call(name, nowMs(), body) as T);
    } catch (error) {
      if (!(error instanceof WorldRefusal)) return Promise.reject(error as Error);
      const code = isCauseCode(error.code) ? error.code : 'internal';
      return Promise.reject(new ControllerError({ code, subject: error.subject, detail: error.message }));
    }
  };
  return {
    snapshot: (q) => call('snapshot', q),
    snapshotTogether: (q) => call('snapshotTogether', q),
    readChanges: (q) => call('readChanges', q),
    shipDisk: (q) => call('shipDisk', q),
    openStream: (q) => call('openStream', q),
    markStream: async (key, copyKey, atMs) =>
      (await call<{ mark: StreamMark | null }>('markStream', { key, copyKey, atMs })).mark,
    closeStream: (key) => call('closeStream', { key }),
    streams: async () => (await call<{ streams: StreamStatus[] }>('streams', {})).streams,
    throttle: (linkId, throttles) => call('throttle', { linkId, throttles }),
    startTransfer: (q) => call('startTransfer', q),
    startCopy: (q) => call('startCopy', q),
    forgetTransfer: (key) => call('forgetTransfer', { key }),
    progress: async (keys) => (await call<{ transfers: TransferProgress[] }>('progress', { keys })).transfers,
    verifyCopy: (place, copyKey) => call('verifyCopy', { place, copyKey }),
    repairCopy: ({ copyKey, ...place }, from) => call('repairCopy', { place, copyKey, from }),
    lockCopy: ({ copyKey, ...place }, untilMs) => call('lockCopy', { place, copyKey, untilMs }),
    releaseSnapshot: (snapshotKey) => call('releaseSnapshot', { snapshotKey }),
    cancelTransfer: (key) => call('cancelTransfer', { key }),
    deleteCopies: (copies) => call('deleteCopies', { copies }),
    inventory: async (place) => (await call<{ copies: FoundCopy[] }>('inventory', { place })).copies,
    snapshots: async () => (await call<{ snapshots: FoundSnapshot[] }>('snapshots', {})).snapshots,
    clone: (q) => call('clone', q),
    boot: (cloneKey) => call('boot', { cloneKey }),
    check: (cloneKey, check) => call('check', { cloneKey, check }),
    contentDigest: async (cloneKey) => (await call<{ digest: string }>('contentDigest', { cloneKey })).digest,
    removeClone: (cloneKey) => call('removeClone', { cloneKey }),
    status: () => call('status', {}),
  };
}
