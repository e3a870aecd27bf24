/** What is wrong with the simulated world at the moment. */
import type { Fault, FaultKind } from '@/core/protect/fault';

export class Faults {
  private list: Fault[] = [];

  get all(): readonly Fault[] {
    return this.list;
  }

  /** Sets a fault; one of the same kind on the same subject is replaced. */
  set(fault: Fault): void {
    this.clear(fault.kind, fault.subject);
    this.list.push(fault);
  }

  clear(kind: string, subject: string): void {
    this.list = this.list.filter((fault) => fault.kind !== kind || fault.subject !== subject);
  }

  has(kind: FaultKind, subject: string): Fault | undefined {
    return this.list.find((fault) => fault.kind === kind && fault.subject === subject);
  }

  restore(list: readonly Fault[]): void {
    this.list = [...list];
  }
}
