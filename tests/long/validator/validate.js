// Says of each GLB named, as JSON, what the validator has against it.
const fs = require("fs");
const validator = require("gltf-validator");

(async () => {
  const said = {};
  for (const file of process.argv.slice(2)) {
    const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)));
    said[file] = report.issues.messages.map((m) => [m.severity, m.code, m.pointer, m.message]);
  }
  console.log(JSON.stringify(said));
})();
