// Puts the two small networks that find hands beside the page: they come in a package that is made for browsers (Apache-2.0),
// one as a file and one in a bundle whose table of contents is in its loader.
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const web = join(dirname(fileURLToPath(import.meta.url)), "..");
const source = join(web, "node_modules", "@mediapipe", "hands");
const target = join(web, "dist", "models");
const PALM = "palm_detection_full.tflite";

mkdirSync(target, { recursive: true });
copyFileSync(join(source, "hand_landmark_full.tflite"), join(target, "hand_landmark_full.tflite"));
const loader = readFileSync(join(source, "hands_solution_packed_assets_loader.js"), "utf8");
const found = loader.match(new RegExp(`${PALM}", "start": (\\d+), "end": (\\d+)`));
if (!found) throw new Error(`${PALM} is not in the bundle of @mediapipe/hands`);
const bundle = readFileSync(join(source, "hands_solution_packed_assets.data"));
writeFileSync(join(target, PALM), bundle.subarray(Number(found[1]), Number(found[2])));
