/** The port to the controllers of the sites, over one way of calling an operation by its name: by HTTP, or in the same process. */
import type {
  FoundCopy,
  FoundSnapshot,
  SiteController,
  StreamMark,
  StreamStatus,
  TransferProgress,
} from '@/connectors/site-controller';

/** Calls one operation; rejects with a ControllerError where it is refused or not answered. */
export type Call = <T>(operation: string, body: unknown) => Promise<T>;

export function controllerOver(call: Call): SiteController {
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
    progress: async (keys) =>
      keys.length ? (await call<{ transfers: TransferProgress[] }>('progress', { keys })).transfers : [],
    verifyCopy: (place, copyKey) => call('verifyCopy', { place, copyKey }),
    repairCopy: ({ copyKey, ...place }, from) => call('repairCopy', { place, copyKey, from }),
    lockCopy: ({ copyKey, ...place }, untilMs) => call('lockCopy', { place, copyKey, untilMs }),
    releaseSnapshot: (snapshotKey) => call('releaseSnapshot', { snapshotKey }),
    cancelTransfer: (key) => call('cancelTransfer', { key }),
    deleteCopy: ({ copyKey, ...place }) => call('deleteCopy', { place, copyKey }),
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
