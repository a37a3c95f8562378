/**
 * Whether the address is still that of an area. The screen of an area stays until the next one's code has come: what it opens by itself
 * meanwhile would take somebody back who has gone on already.
 */
export const isStillAt = (area: string): boolean =>
  location.pathname === area || location.pathname.startsWith(`${area}/`)
