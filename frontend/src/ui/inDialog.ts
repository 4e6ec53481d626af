import { createContext } from "react";

/** Whether something stands in a dialog. */
export const InDialog = createContext(false);
