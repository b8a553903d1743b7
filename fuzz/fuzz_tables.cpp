// Small texts: states with a script behind a line "----", targets, tables of motion, dumps, lists
// of joints. Each reader takes a text or says where it is wrong.
#include "fuzz.h"
#include "mellow/joint_fit.h"
#include "mellow/motion_table.h"
#include "mellow/motion_text.h"
#include "mellow/states.h"
#include "mellow/target.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace mellow;
    const std::string text(reinterpret_cast<const char*>(data), size);
    const auto cut = std::min(text.find("----\n"), text.size());
    fuzz::outcome = "refused";
    const auto took = [](const auto& read, const char* what) {
        if (read) fuzz::outcome = what;
        require(read.ok() || (!read.failure().where.empty() && !read.failure().found.empty()),
                "a failure says where, and what was found");
        return read.ok();
    };
    took(parse_joint_list(text, "t"), "joints");
    took(parse_target(text, "t", "/"), "target");
    took(read_motion_table(text, "t"), "table");
    took(read_motion_text(text, "t"), "text");
    const auto sheet = parse_states(text.substr(0, cut), "t");
    if (took(sheet, "states") && cut < text.size())
        took(parse_events(std::string_view(text).substr(cut + 5), "t", sheet.value()), "played");
    return 0;
}
