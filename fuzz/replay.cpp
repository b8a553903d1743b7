// Runs a fuzz target over the seeds of a folder, without a fuzzing compiler: corpus/TARGET/OUTCOME.
// Each must get as far as its folder says, or it would try nothing behind that.
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>

#include "fuzz.h"

int main(int, char** argv) {
    int files = 0, wrong = 0;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(argv[1])) {
        if (!entry.is_regular_file()) continue;
        std::ifstream file(entry.path(), std::ios::binary);
        const std::string text{std::istreambuf_iterator<char>(file), {}};
        mellow::fuzz::outcome = "refused";
        LLVMFuzzerTestOneInput(reinterpret_cast<const std::uint8_t*>(text.data()), text.size());
        ++files;
        if (entry.path().parent_path().filename() == mellow::fuzz::outcome) continue;
        ++wrong;
        std::printf("%s: %s\n", entry.path().c_str(), mellow::fuzz::outcome.c_str());
    }
    std::printf("%d seeds, %d of them end elsewhere\n", files, wrong);
    return files == 0 || wrong > 0 ? 1 : 0;
}
