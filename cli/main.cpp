#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <new>
#include <stdexcept>
#include <thread>

#include "base/text.h"
#include "command.h"
#include "mellow/safe_write.h"

namespace mellow::cli {
namespace {

using Words = std::vector<std::string>;

bool asks_for_help(const Words& words) {
    return std::any_of(words.begin(), words.end(),
                       [](const std::string& w) { return w == "--help" || w == "-h"; });
}

int unknown_command(const Common& common, const Words& names, const std::string& word) {
    return fail(
        common,
        {Code::kUsage, Severity::kStop, "mellow", fmt::format("no command \"{}\"", word),
         nearest_name(word, names).empty() ? fmt::format("one of: {}", fmt::join(names, ", "))
                                           : suggest(word, names),
         "mellow help"});
}

int run(Words words) {
    Requests requests;
    const std::vector<Command> all = commands(requests);
    Words names;
    for (const Command& c : all) names.push_back(c.name);
    names.emplace_back("help");
    Common common;
    common.json = std::find(words.begin(), words.end(), "--json") != words.end();
    if (words.empty() || words[0] == "--help" || words[0] == "-h") {
        print_out(overview(all));
        return kDone;
    }
    if (words[0] == "--version") {
        print_out("mellow " MELLOW_VERSION "\n");
        return kDone;
    }
    const std::string first = words[0];
    words.erase(words.begin());
    if (first == "complete") {
        print_out(completions(all, words));
        return kDone;
    }
    if (first == "help") {
        const bool markdown = std::erase(words, "--markdown") > 0;
        if (words.empty() || words[0] == "help" || asks_for_help(words)) {
            print_out(markdown ? overview_manual(all) : overview(all));
            return kDone;
        }
        const Command* const command = find_command(all, words[0]);
        if (command == nullptr) return unknown_command(common, names, words[0]);
        print_out(markdown ? manual_text(*command) : help_text(*command));
        return kDone;
    }
    const Command* const command = find_command(all, first);
    if (command == nullptr) return unknown_command(common, names, first);
    if (asks_for_help(words)) {
        print_out(help_text(*command));
        return kDone;
    }
    if (const auto wrong = parse(*command, words)) return fail(common, *wrong);
    return command->run();
}

/// An exit code of kCannotWrite where standard output took less than it was given.
int finished(int exit) {
    if (finish_output()) return exit;
    const int why = errno;
    // A reader that went away, as `head` does, needs no telling.
    if (why != EPIPE)
        print_err(fmt::format("stop[output-unwritable] standard output\n  found:    {}\n",
                              std::strerror(why)));
    return kCannotWrite;
}

/// Told to end, the tool takes away what it has begun to write. One thread waits for that; all
/// others, which inherit the mask, are left alone.
void end_cleanly_when_told() {
    sigset_t ending;
    sigemptyset(&ending);
    for (const int signal : {SIGINT, SIGTERM, SIGHUP}) sigaddset(&ending, signal);
    if (pthread_sigmask(SIG_BLOCK, &ending, nullptr) != 0) return;
    std::thread([ending] {
        int signal = 0;
        if (sigwait(&ending, &signal) != 0) return;
        remove_unfinished();
        std::_Exit(128 + signal);
    }).detach();
}

/// What no part of the library should let through, and memory that is not there: said like
/// everything else.
int run_safely(const Words& words) {
    Common common;
    common.json = std::find(words.begin(), words.end(), "--json") != words.end();
    const auto say = [&](Code code, const std::string& found, const std::string& remedy) {
        return fail(common, {code, Severity::kStop, "mellow", found, "", remedy});
    };
    try {
        return run(words);
    } catch (const std::bad_alloc&) {
        return say(Code::kLimit, "more memory is needed than there is",
                   "a smaller file, a shorter range, or a machine with more");
    } catch (const std::length_error& error) {
        return say(Code::kLimit, fmt::format("a size beyond all bounds ({})", error.what()),
                   "check counts and ranges of the file");
    } catch (const std::exception& error) {
        return say(Code::kLimit, error.what(), "this is a fault worth reporting");
    }
}

}  // namespace
}  // namespace mellow::cli

int main(int argc, char** argv) {
    std::signal(SIGPIPE, SIG_IGN);
    mellow::cli::end_cleanly_when_told();
    std::signal(SIGXFSZ, SIG_IGN);  // a file size limit is then an ordinary write error
    return mellow::cli::finished(mellow::cli::run_safely({argv + 1, argv + argc}));
}
