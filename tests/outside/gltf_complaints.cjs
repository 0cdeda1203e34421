// Prints what the Khronos glTF validator finds wrong with files, as JSON: node gltf_complaints.cjs FOLDER_OF_MODULES FILE...
const fs = require("fs");
const path = require("path");
const [modules, ...files] = process.argv.slice(2);
const validator = require(path.join(modules, "gltf-validator"));

async function complaints(file) {
  const beside = (uri) => new Uint8Array(fs.readFileSync(path.join(path.dirname(file), decodeURIComponent(uri))));
  const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)), {
    externalResourceFunction: async (uri) => beside(uri),
  });
  return report.issues.messages.filter((m) => m.severity < 2).map((m) => `${m.code} ${m.pointer || ""}: ${m.message}`);
}

Promise.all(files.map(complaints)).then((found) => console.log(JSON.stringify(found)));
