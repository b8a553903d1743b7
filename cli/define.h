// What the definitions of commands share.
#pragma once

#include "command.h"

namespace mellow::cli {

inline const std::vector<std::string> kAxes{"+X", "-X", "+Y", "-Y", "+Z", "-Z"};
inline const std::vector<std::string> kRates{"24", "25", "30", "30000/1001", "60"};

/// --json and --quiet.
void add_common(Command& c, Common& common);
void add_verbose(Command& c, Common& common, const char* help);
/// What a file should have said of itself. `of` tells two files apart: "", "-b" or "-motion".
void add_truth(Command& c, TypedConvention& truth, const std::string& of = "");

Command compare_command(CompareRequest& r);
Command convert_command(ConvertRequest& r);
Command match_command(MatchRequest& r);
Command lift_command(LiftRequest& r);

}  // namespace mellow::cli
