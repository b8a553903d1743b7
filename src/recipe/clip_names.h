// Names of clips that are made from files, and the files that a pattern finds.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "mellow/result.h"
#include "mellow/target.h"

namespace mellow {

/// What the fields of a name stand for, by their words. A number may say how many digits it has at
/// least: {index:03}.
struct NameFields {
    std::map<std::string, std::string> texts;
    std::map<std::string, int> numbers;
};
/// Of a clip that is made from a file: {file}, {folder}, {path}, {timeline} and {index}.
NameFields clip_fields(const std::string& file, const std::string& folder, const std::string& path,
                       const std::string& timeline, int index);
/// The folders of a file from where its pattern begins to stand for more than one: "fight/a" of
/// "nest/**/*.glb".
std::string path_below(const std::string& pattern, const std::string& file);
/// "{folder}_{file}" filled in.
std::string filled(const std::string& pattern, const NameFields& fields);
/// The first field of a pattern that is none of `fields`, with its braces; empty where all are.
std::string unknown_field(const std::string& pattern, const NameFields& fields);
/// "{file}", "{index}", "{index:03}", ...: for messages.
std::vector<std::string> field_names(const NameFields& fields);

/// True for names of files on every system: letters, digits, _, - and ., not a dot first, at most
/// 100 of them; with `folders` several such names with / between.
bool sound_name(const std::string& name, bool folders = false);

/// A name that can be a file's: what cannot stand in one becomes an underscore.
std::string file_name(std::string name);
/// The same for each of several names with / between.
std::string file_path(const std::string& names);

/// The name of a file as a target's rule for names has it: letters, what is allowed besides, what
/// stands in place of the rest.
std::string ruled(const std::string& name, const NameRule& rule);
/// A pattern of such names, of which the rule changes what stands outside of { and }.
std::string ruled_pattern(const std::string& pattern, const NameRule& rule);

/// Files below `folder` that fit a pattern, relative to it, sorted: `*` and `?` within a name, `**`
/// for any folders. What is hidden fits none; endings fit in capitals as well. A pattern without
/// any of them is the file itself, there or not.
std::vector<std::string> matching_files(const std::filesystem::path& folder,
                                        const std::string& pattern);

}  // namespace mellow
