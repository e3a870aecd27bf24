/** The stand-in's controller without HTTP between: for seeding, where five weeks pass in a minute. */
import { isCauseCode } from '@/core/protect/cause';
import type { EpochMs } from '@/core/units';
import { controllerOver } from '@/connectors/calls';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import type { Controller, OperationName } from '@/standin/operations';
import { WorldRefusal } from '@/standin/world/refusal';

export function localController(controller: Controller, nowMs: () => EpochMs): SiteController {
  return controllerOver(<T>(name: string, body: unknown): Promise<T> => {
    try {
      return Promise.resolve(controller.call(name as OperationName, nowMs(), body) as T);
    } catch (error) {
      if (!(error instanceof WorldRefusal)) return Promise.reject(error as Error);
      const code = isCauseCode(error.code) ? error.code : 'internal';
      return Promise.reject(new ControllerError({ code, subject: error.subject, detail: error.message }));
    }
  });
}
