/** What the program says of itself once, when the page opens: roles, formats, profiles. */
import type { About, RoleInfo } from "./types";

let known: About | null = null;

export const keepAbout = (about: About) => (known = about);

export const roles = (): RoleInfo[] => known?.roles ?? [];
/** What a channel of a file may hold. */
export const contents = (): About["contents"] => known?.contents ?? [];
export const roleOf = (id: string): RoleInfo | undefined => roles().find((role) => role.id === id);
