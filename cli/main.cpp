#include <fmt/core.h>

#include <csignal>

#include "commands.h"

namespace mellow::cli {

int fail(const Finding& finding) {
    fmt::print(stderr, "{}\n", to_text(finding));
    const bool output =
        finding.code == Code::kOutputExists || finding.code == Code::kOutputUnwritable;
    return output ? kCannotWrite : kBadInput;
}

void Common::add_to(CLI::App& command) {
    command.add_flag("--json", json, "Print the result as JSON, for machines");
    command.add_flag("--quiet", quiet, "Print nothing but errors");
}

}  // namespace mellow::cli

int main(int argc, char** argv) {
    using namespace mellow::cli;
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN);  // a file size limit is then an ordinary write error
    CLI::App app{
        "Bakes rigged animation to its deform joints and packs it for a game engine, proven."};
    app.set_version_flag("--version", "mellow " MELLOW_VERSION);
    app.require_subcommand(1);
    app.footer(
        "Exit codes: 0 done, 1 done but checks failed, 2 usage, 3 bad input, 4 could not write.\n"
        "Example: mellow demo");
    const std::pair<const char*, Run> commands[] = {{"describe", add_describe(app)},
                                                    {"pack", add_pack(app)},
                                                    {"view", add_view(app)},
                                                    {"demo", add_demo(app)}};
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        const int code = app.exit(error);
        return code == 0 ? kDone : kUsage;
    }
    for (const auto& [name, run] : commands)
        if (app.got_subcommand(name)) return run();
    return kUsage;
}
