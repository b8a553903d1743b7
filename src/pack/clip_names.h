// Names of clips that are made from files, and the files that a pattern finds.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/result.h"

namespace mellow {

/// What the fields of a name stand for.
struct NameFields {
    std::string file, folder, timeline;
    int index = 1;
};
/// "{folder}_{file}" filled in: {file}, {folder}, {timeline}, {index}, {index:03}.
std::string filled(const std::string& pattern, const NameFields& fields);
/// The first field of a pattern that nobody knows, with its braces; empty where all are known.
std::string unknown_field(const std::string& pattern);
/// "{file}", ...: for messages.
std::vector<std::string> field_names();

/// True for names of files on every system: letters, digits, _, - and ., not a dot first, at most
/// 100 of them; with `folders` several such names with / between.
bool sound_name(const std::string& name, bool folders = false);

/// A name that can be a file's: what cannot stand in one becomes an underscore.
std::string file_name(std::string name);

/// Files below `folder` that fit a pattern, relative to it, sorted: `*` and `?` within a name, `**`
/// for any folders. A pattern without any of them is the file itself, there or not.
std::vector<std::string> matching_files(const std::filesystem::path& folder,
                                        const std::string& pattern);

}  // namespace mellow
