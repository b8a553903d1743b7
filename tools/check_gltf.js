// Runs the Khronos validator over GLB and glTF files: node check_gltf.js FILE... Fails on any error or warning,
// and when there is nothing to check.
'use strict';
const fs = require('fs');
const path = require('path');
const validator = require('gltf-validator');

async function main(files) {
  if (files.length === 0) throw new Error('no files to check');
  let bad = 0;
  for (const file of files) {
    const beside = (uri) => fs.promises.readFile(path.join(path.dirname(file), decodeURIComponent(uri))).then((bytes) => new Uint8Array(bytes));
    const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)), { maxIssues: 50, externalResourceFunction: beside });
    const { numErrors, numWarnings, messages } = report.issues;
    console.log(`${file}: ${numErrors} errors, ${numWarnings} warnings`);
    for (const m of messages.filter((m) => m.severity < 2)) console.log(`  ${m.code} ${m.pointer}: ${m.message}`);
    if (process.env.VERBOSE) for (const m of messages.filter((m) => m.severity >= 2)) console.log(`  (${m.severity}) ${m.code} ${m.pointer}`);
    bad += numErrors + numWarnings;
  }
  if (bad > 0) process.exit(1);
}

main(process.argv.slice(2)).catch((error) => {
  console.error(String(error));
  process.exit(1);
});
