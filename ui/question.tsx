'use client';
/**
 * Asks before something is destroyed: a question with the object's name, what it costs, and two ways out. The safe way is
 * named for its result and has the focus, so Enter never destroys.
 */
import { AlertDialog } from 'radix-ui';
import type { ReactNode } from 'react';

export function Question({
  open,
  title,
  facts,
  safe,
  danger,
  onAnswer,
  children,
}: {
  open: boolean;
  title: string;
  /** What it stops, loses, takes, and the way back: label and text. */
  facts: ReadonlyArray<readonly [string, string]>;
  safe: string;
  danger: string;
  onAnswer: (goOn: boolean) => void;
  children?: ReactNode;
}) {
  return (
    <AlertDialog.Root open={open} onOpenChange={(next) => !next && onAnswer(false)}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="veil" />
        <AlertDialog.Content className="question">
          <AlertDialog.Title asChild>
            <h2>{title}</h2>
          </AlertDialog.Title>
          <AlertDialog.Description asChild>
            <dl>
              {facts.map(([name, text]) => (
                <div key={name}>
                  <dt>{name}</dt>
                  <dd>{text}</dd>
                </div>
              ))}
            </dl>
          </AlertDialog.Description>
          {children}
          <div className="flex gap-2 justify-end">
            <AlertDialog.Cancel className="btn">{safe}</AlertDialog.Cancel>
            <button type="button" className="btn danger" onClick={() => onAnswer(true)}>
              {danger}
            </button>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
