/** The steps of a run as they go on. */
import type { RunContext, RunStep } from '@/engine/run/job';

export class StepLog {
  private steps: RunStep[] = [];
  constructor(private readonly context: RunContext) {}

  begin(name: string, noteOfLast = ''): void {
    this.close(noteOfLast);
    this.steps.push({ name, startedMs: this.context.nowMs(), endedMs: null, note: '' });
    this.context.onStep(this.steps);
  }

  /** Says something of the step at hand, which ends with it. */
  note(text: string): void {
    this.close(text);
  }

  end(note: string): readonly RunStep[] {
    this.close(note);
    return this.steps;
  }

  private close(note: string): void {
    const last = this.steps.at(-1);
    if (last && last.endedMs === null)
      this.steps[this.steps.length - 1] = { ...last, endedMs: this.context.nowMs(), note };
  }
}
