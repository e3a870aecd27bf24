'use client';
import { createContext, useContext } from 'react';

export interface FrameFacts {
  readonly csrfToken: string;
  readonly role: 'viewer' | 'operator' | 'administrator';
  readonly zone: string;
  readonly nowMs: number;
  readonly demo: boolean;
}

const Context = createContext<FrameFacts | null>(null);
export const FrameProvider = Context.Provider;

export function useFrame(): FrameFacts {
  const facts = useContext(Context);
  if (!facts) throw new Error('useFrame is used outside the frame.');
  return facts;
}
