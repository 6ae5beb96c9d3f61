// What the page takes from the API's description, into the folder that is named: its types, and what numbers may be.
import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const into = process.argv[2];
const from = "../docs/openapi.json";
const types = ["openapi-typescript", from, "-o", join(into, "schema.d.ts"), "--default-non-nullable=false"];
execFileSync("npx", types, { stdio: "inherit" });
const { schemas } = JSON.parse(readFileSync(from, "utf8")).components;

/** The narrowest bounds among a property and its alternatives, as "a number or nothing". */
function bounds(property) {
  const found = [property, ...(property.anyOf ?? [])].find((p) => "minimum" in p || "maximum" in p);
  if (!found) return null;
  const limits = [];
  if ("minimum" in found) limits.push(`min: ${found.minimum}`);
  if ("maximum" in found) limits.push(`max: ${found.maximum}`);
  return `{ ${limits.join(", ")} }`;
}

const name = (schema) => schema.replace(/-Input$/, "");
const lines = Object.keys(schemas)
  .filter((schema) => !schema.endsWith("-Output"))
  .sort()
  .flatMap((schema) => {
    const rows = Object.entries(schemas[schema].properties ?? {}).flatMap(([property, of]) => {
      const found = bounds(of);
      return found ? [`    ${property}: ${found},`] : [];
    });
    return rows.length > 0 ? [`  ${name(schema)}: {`, ...rows, "  },"] : [];
  });
const examples = (schema, property) => {
  const of = schemas[schema].properties[property];
  return of.examples ?? of.anyOf?.find((p) => p.examples)?.examples ?? [];
};
const text = [
  "/** Made from the API's description by `make schema`; not to be edited. */",
  "",
  "/** What a number may be, by schema and property. */",
  "export const bounds = {",
  ...lines,
  "} as const;",
  "",
  "/** Colours that covers begin with, one after the other. */",
  "export const coverColours = [",
  ...examples("SetCover", "colour").map((colour) => `  ${JSON.stringify(colour)},`),
  "];",
  "",
];
writeFileSync(join(into, "bounds.ts"), text.join("\n"));
