'use client';
/** A button that opens a small panel below it: closes by Escape, by its button, or by a click elsewhere. */
import { Popover } from 'radix-ui';
import type { ReactNode } from 'react';

export function Menu({
  label,
  buttonLabel,
  className,
  face,
  children,
}: {
  /** What the panel is, spoken. */
  label: string;
  /** Spoken name of the button, where its face does not say it. */
  buttonLabel?: string;
  className: string;
  face: ReactNode;
  children: ReactNode;
}) {
  return (
    <Popover.Root>
      <Popover.Trigger className={className} aria-label={buttonLabel}>
        {face}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="menu"
          role="group"
          aria-label={label}
          align="end"
          sideOffset={6}
          collisionPadding={12}
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
