'use client';
/** Hands the page's nonce to the parts of Radix that add a style sheet of their own; it is the document's for its whole life. */

export function StyleNonce({ nonce }: { nonce: string | null }) {
  const page = globalThis as { __webpack_nonce__?: string };
  // The name under which the package get-nonce looks for it, whatever the bundler.
  if (typeof window !== 'undefined' && nonce) page.__webpack_nonce__ ??= nonce;
  return null;
}
