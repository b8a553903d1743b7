// The record of one packed clip in the manifest: written, and read again where the clip need not be
// baked once more. What is read and written again is the same text.
#pragma once

#include "base/json_writer.h"
#include "disk/json_members.h"
#include "mellow/manifest.h"

namespace mellow {

/// Members of the object that is open.
void write_file(JsonWriter& json, const FileRecord& file, bool with_role);
FileRecord read_file_record(JsonMembers& json, FileRole role, bool part = false);
void write_proof(JsonWriter& json, std::string_view key, const ClipProof& proof);

/// One clip as an object; `out` takes places to the target.
void write_clip(JsonWriter& json, const PackedClip& packed, const Conversion& out);
/// Hash of all that write_clip() says of a clip; it stands in the record itself, so that what was
/// changed in it afterwards is not taken over.
std::string record_hash(const PackedClip& packed, const Conversion& out);
/// The way back; `in` takes places inside. Its findings stand at `where`, if they are of the clip's
/// range. What is missing is the failure of `json`.
PackedClip read_clip(JsonMembers& json, const Conversion& in, const Place& where);
/// Findings of a list of the object; kOwnPlace stands for `where`.
Findings read_findings(JsonMembers& json, std::string_view key, const Place& where);
/// The clip with the findings of its own range at `where`, whose record stood for it.
PackedClip placed_at(PackedClip packed, const Place& where);
/// The clip as its record says it, figures of nine digits: what the report tells is then the same
/// whether the clip was baked or taken over.
PackedClip settled(const PackedClip& packed, const Convention& target);

}  // namespace mellow
