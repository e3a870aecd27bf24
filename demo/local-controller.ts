/** The stand-in's controller without HTTP between: for seeding, where five weeks pass in a minute. */
import { isCauseCode } from '@/core/protect/cause';
import type { EpochMs } from '@/core/units';
import { ControllerError, type SiteController, type TransferProgress } from '@/connectors/site-controller';
import type { Controller, OperationName } from '@/standin/operations';
import { WorldRefusal } from '@/standin/world/world';

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
    readChanges: (q) => call('readChanges', q),
    startTransfer: (q) => call('startTransfer', q),
    progress: async (keys) => (await call<{ transfers: TransferProgress[] }>('progress', { keys })).transfers,
    verifyCopy: (place, copyKey) => call('verifyCopy', { place, copyKey }),
    releaseSnapshot: (snapshotKey) => call('releaseSnapshot', { snapshotKey }),
    cancelTransfer: (key) => call('cancelTransfer', { key }),
    deleteCopies: (copies) => call('deleteCopies', { copies }),
    clone: (q) => call('clone', q),
    boot: (cloneKey) => call('boot', { cloneKey }),
    check: (cloneKey, check) => call('check', { cloneKey, check }),
    contentDigest: async (cloneKey) => (await call<{ digest: string }>('contentDigest', { cloneKey })).digest,
    removeClone: (cloneKey) => call('removeClone', { cloneKey }),
    status: () => call('status', {}),
  };
}
