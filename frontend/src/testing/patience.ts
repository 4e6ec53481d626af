/** On a busy machine all takes longer: what is waited for is waited for as long as a whole test. */
import { vi } from "vitest";

const PATIENCE_MS = 60_000;

const waitFor = vi.waitFor.bind(vi);
vi.waitFor = (check, options) => waitFor(check, options ?? { timeout: PATIENCE_MS });
// Only tests of components have a document.
if (typeof document !== "undefined") {
  const { configure } = await import("@testing-library/react");
  configure({ asyncUtilTimeout: PATIENCE_MS });
}
