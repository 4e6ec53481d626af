/** The tests of the page use what the core declares, not a copy of it: asked once, before all of them. */
import { execFileSync } from "node:child_process";
import type { TestProject } from "vitest/node";
import type { About } from "../api/types";

const ASK = `
from amber_thicket.service.answers import About
from amber_thicket.web.app import declarations
print(About(**declarations()).model_dump_json())`;

declare module "vitest" {
  export interface ProvidedContext {
    about: About;
  }
}

export default function setup({ provide }: TestProject) {
  const python = process.env.PYTHON ?? "../.venv/bin/python";
  provide("about", JSON.parse(execFileSync(python, ["-c", ASK], { encoding: "utf8", maxBuffer: 1 << 24 })) as About);
}
