// What `describe` prints of scene files and crates.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "commands.h"
#include "mellow/crate.h"
#include "mellow/rig_stock.h"
#include "mellow/stock.h"

namespace mellow::cli {

/// A file and what is in it.
struct FileStock {
    std::string file;
    ReadResult read;
    Stock stock;
    std::optional<RigStock> rig;
};

/// Everything of one file.
std::string stock_text(const FileStock& of, bool tree);
void write_stock(JsonWriter& json, const FileStock& of);
/// How many nodes of a class.
int count(const Stock& stock, NodeClass c);

std::string crate_text(const std::string& folder, const Crate& crate);
void write_crate_stock(JsonWriter& json, const std::string& folder, const Crate& crate);

/// One line for each of many files, and what they are in all.
class StockTable {
  public:
    void add(const FileStock& of);
    void add(const std::string& folder, const Crate& crate);
    void add_failure(const std::string& file, Code code);
    std::string text() const;
    /// The member "totals".
    void write_totals(JsonWriter& json) const;

  private:
    struct Row {
        std::string file, format, joints, timelines, samples, seconds, height, look_at;
    };
    std::vector<Row> rows_;
    int timelines_ = 0, bad_ = 0;
    std::int64_t samples_ = 0;
    double seconds_ = 0;
};

}  // namespace mellow::cli
