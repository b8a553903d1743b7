#include "support.h"

#include <fmt/format.h>
#include <rapidjson/schema.h>
#include <rapidjson/stringbuffer.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <map>
#include <regex>
#include <sstream>

namespace mellow::test {

TempFolder::TempFolder() {
    // In memory where that is possible: what is written is synced, and disks can be slow at it.
    std::filesystem::path base = "/dev/shm";
    if (::access(base.c_str(), W_OK) != 0) base = std::filesystem::temp_directory_path();
    std::string pattern = (base / ("mellow-test-" + std::string(6, 'X'))).string();
    path_ = ::mkdtemp(pattern.data());
}

TempFolder::~TempFolder() {
    std::error_code ignored;
    std::filesystem::permissions(path_, std::filesystem::perms::owner_all, ignored);
    std::filesystem::remove_all(path_, ignored);
}

std::vector<std::string> TempFolder::names() const {
    std::vector<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(path_))
        names.push_back(entry.path().filename().string());
    std::sort(names.begin(), names.end());
    return names;
}

void write_text(const std::filesystem::path& path, const std::string& text) {
    std::ofstream(path, std::ios::binary) << text;
}

std::string read_text(const std::filesystem::path& path) {
    std::ifstream file(path, std::ios::binary);
    std::ostringstream text;
    if (file && file.peek() != std::ifstream::traits_type::eof()) text << file.rdbuf();
    return text.str();
}

Result<ClipProof> prove(const Scene& scene, const PoseSource& poses, const SamplePlan& plan,
                        const ChosenJoints& joints, const Scene& skin, const Scene& clip,
                        const std::vector<bool>* accepted) {
    MELLOW_TRY(const SkinProof figure,
               SkinProof::make({scene, joints.skeleton, joints.sources, nullptr, accepted}, skin));
    return prove_clip(take_of(scene, poses, joints.skeleton, joints.sources, {figure.mounts()}),
                      plan, figure, clip);
}

namespace {

/// What is not here stops.
const std::map<std::string, std::string>& severities() {
    static const std::map<std::string, std::string> table{{"assumed", "note warning"},
                                                          {"axis-suspect", "warning"},
                                                          {"hand-suspect", "warning"},
                                                          {"default-name", "note"},
                                                          {"equal-seeds", "warning"},
                                                          {"fast-turn", "warning"},
                                                          {"influences", "note stop"},
                                                          {"left-out", "note warning"},
                                                          {"loop-open", "warning stop"},
                                                          {"missing-joint", "warning"},
                                                          {"never-moves", "note warning"},
                                                          {"no-effect", "warning"},
                                                          {"overruled", "warning"},
                                                          {"no-motion", "stop warning"},
                                                          {"number-bad", "stop warning"},
                                                          {"prefix", "note warning"},
                                                          {"range-gap", "note"},
                                                          {"range-off-grid", "stop warning note"},
                                                          {"range-overlap", "note warning"},
                                                          {"rate-suspect", "warning"},
                                                          {"rigid-skin", "note"},
                                                          {"same-content", "warning"},
                                                          {"scaled-node", "note warning"},
                                                          {"shear", "warning"},
                                                          {"size-suspect", "warning stop"},
                                                          {"skin-removed", "note"},
                                                          {"still-tail", "warning"},
                                                          {"target-unmet", "stop warning note"},
                                                          {"rest-shape", "note warning"},
                                                          {"drives-differ", "warning"},
                                                          {"foot-slide", "warning"},
                                                          {"wheel-turn", "warning"},
                                                          {"through-plane", "warning"},
                                                          {"state-unreached", "warning"},
                                                          {"state-stuck", "warning"},
                                                          {"state-seam", "warning"},
                                                          {"way-open", "warning"},
                                                          {"blend-long", "warning"},
                                                          {"cue-unreached", "warning"},
                                                          {"share-missing", "stop"},
                                                          {"share-differs", "stop"},
                                                          {"foot-depth", "warning"},
                                                          {"skeleton-differs", "stop warning"},
                                                          {"pop", "warning"},
                                                          {"travel-in-hips", "warning"},
                                                          {"turned-start", "warning"},
                                                          {"too-short", "note"},
                                                          {"loop-unsaid", "note"},
                                                          {"mesh-repeated", "note"},
                                                          {"scale-noise", "warning"},
                                                          {"output-exists", "stop warning"},
                                                          {"way-shadowed", "warning"},
                                                          {"unbaked", "warning stop"},
                                                          {"unweighted", "note"},
                                                          {"weight-sum", "warning"},
                                                          {"zero-scale", "note warning"}};
    return table;
}

void expect_usual(const std::string& severity, const std::string& code) {
    const auto row = severities().find(code);
    const std::string usual = row == severities().end() ? "stop" : row->second;
    EXPECT_NE(usual.find(severity), usual.npos) << code << " is " << usual << ", not " << severity;
}

}  // namespace

void expect_usual_severities(const Findings& findings) {
    for (const Finding& f : findings)
        expect_usual(std::string(name(f.severity)), std::string(name(f.code)));
}

namespace {

/// What the tool says in JSON is what the schema of its command, or any where it fails, promises.
void expect_schema(const std::string& arguments, const ToolRun& run) {
    std::istringstream words(arguments);
    std::string command;
    while (words >> command && command.starts_with('-')) continue;
    std::filesystem::path file =
        std::filesystem::path(MELLOW_SOURCE_DIR "/docs/schemas") / (command + ".json");
    if (!std::filesystem::exists(file)) file.replace_filename("demo.json");
    rapidjson::Document schema, said;
    schema.Parse(read_text(file).c_str());
    ASSERT_FALSE(schema.HasParseError()) << file;
    ASSERT_FALSE(said.Parse(run.out.c_str()).HasParseError()) << arguments << "\n" << run.out;
    const rapidjson::SchemaDocument promised(schema);
    rapidjson::SchemaValidator validator(promised);
    if (said.Accept(validator)) return;
    rapidjson::StringBuffer schema_at, said_at;
    validator.GetInvalidSchemaPointer().StringifyUriFragment(schema_at);
    validator.GetInvalidDocumentPointer().StringifyUriFragment(said_at);
    ADD_FAILURE() << arguments << ": " << said_at.GetString() << " is not as "
                  << schema_at.GetString() << " has it (" << validator.GetInvalidSchemaKeyword()
                  << ")\n"
                  << run.out.substr(0, 3000);
}

}  // namespace

ToolRun run_tool(const std::string& arguments, const std::string& before, bool judged) {
    const TempFolder folder;
    const std::string command = fmt::format("{} '{}' {} >'{}' 2>'{}'", before, tool(), arguments,
                                            (folder / "out").string(), (folder / "err").string());
    const int status = std::system(command.c_str());
    ToolRun run{WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status),
                read_text(folder / "out"), read_text(folder / "err")};
    static const std::regex finding("(^|\\n)(note|warning|stop)\\[([a-z-]+)\\]");
    for (std::sregex_iterator f(run.err.begin(), run.err.end(), finding), end; f != end && !judged;
         ++f)
        expect_usual((*f)[2], (*f)[3]);
    if (std::regex_search(arguments, std::regex("(^| )--json( |$)"))) expect_schema(arguments, run);
    return run;
}

double difference(const Affine& a, const Affine& b) {
    return std::max({length(a.x - b.x), length(a.y - b.y), length(a.z - b.z), length(a.o - b.o)});
}

std::string base64(const std::vector<unsigned char>& bytes) {
    const char* digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        unsigned v = 0;
        for (std::size_t k = 0; k < 3; ++k) v = v << 8 | (i + k < bytes.size() ? bytes[i + k] : 0U);
        for (int shift = 18; shift >= 0; shift -= 6)
            out += i + static_cast<std::size_t>(18 - shift) / 6 > bytes.size()
                       ? '='
                       : digits[v >> shift & 63];
    }
    return out;
}

int TinyGltf::floats(const std::vector<double>& values, const std::string& type) {
    std::vector<std::uint8_t> data(values.size() * 4);
    for (std::size_t i = 0; i < values.size(); ++i) {
        const auto v = static_cast<float>(values[i]);
        std::memcpy(&data[4 * i], &v, 4);
    }
    const std::size_t width = type == "SCALAR" ? 1
                              : type == "VEC2" ? 2
                              : type == "VEC3" ? 3
                              : type == "VEC4" ? 4
                                               : 16;
    return add(data, values.size() / width, type, 5126, false);
}

int TinyGltf::bytes(const std::vector<int>& values, const std::string& type, int component_type,
                    bool normalized) {
    const std::size_t size = component_type < 5122 ? 1 : component_type < 5125 ? 2 : 4;
    std::vector<std::uint8_t> data;
    for (const int v : values)
        for (std::size_t b = 0; b < size; ++b)
            data.push_back(static_cast<std::uint8_t>(v >> (8 * b)));
    const std::size_t width = type == "SCALAR" ? 1 : type == "VEC3" ? 3 : 4;
    return add(data, values.size() / width, type, component_type, normalized);
}

int TinyGltf::add(const std::vector<std::uint8_t>& data, std::size_t count, const std::string& type,
                  int component_type, bool normalized) {
    bin_.resize((bin_.size() + 3) / 4 * 4);
    const std::string comma = count_ > 0 ? "," : "";
    views_ += fmt::format("{}{{\"buffer\":0,\"byteOffset\":{},\"byteLength\":{}}}", comma,
                          bin_.size(), data.size());
    accessors_ += fmt::format(
        "{}{{\"bufferView\":{},\"componentType\":{},\"count\":{},\"type\":\"{}\"{}}}", comma,
        count_, component_type, count, type, normalized ? ",\"normalized\":true" : "");
    bin_.insert(bin_.end(), data.begin(), data.end());
    return count_++;
}

std::vector<std::uint8_t> TinyGltf::glb(const std::string& members) const {
    std::string json = R"({"asset":{"version":"2.0"})" + (members.empty() ? "" : "," + members);
    if (count_ > 0)
        json +=
            fmt::format(R"(,"buffers":[{{"byteLength":{}}}],"bufferViews":[{}],"accessors":[{}])",
                        bin_.size(), views_, accessors_);
    json += "}";
    json.resize((json.size() + 3) / 4 * 4, ' ');
    std::vector<std::uint8_t> out;
    const auto word = [&](std::size_t v) {
        for (int s = 0; s < 32; s += 8) out.push_back(static_cast<std::uint8_t>(v >> s));
    };
    std::vector<std::uint8_t> bin = bin_;
    bin.resize((bin.size() + 3) / 4 * 4);
    word(0x46546C67), word(2), word(20 + json.size() + (bin.empty() ? 0 : 8 + bin.size()));
    word(json.size()), word(0x4E4F534A);
    out.insert(out.end(), json.begin(), json.end());
    if (!bin.empty()) {
        word(bin.size()), word(0x004E4942);
        out.insert(out.end(), bin.begin(), bin.end());
    }
    return out;
}

Result<ReadResult> read_tiny(const std::vector<std::uint8_t>& bytes, const ReadLimits& limits) {
    const LoadFile none = [](const std::string& name) -> Result<Bytes> {
        return Finding{
            Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
    };
    return read_gltf(Bytes(bytes.begin(), bytes.end()), "tiny.glb", none, limits);
}

std::vector<std::uint8_t> text_bytes(const std::string& text) { return {text.begin(), text.end()}; }

Scene chain_scene(int nodes, double length) {
    Scene scene;
    for (int n = 0; n < nodes; ++n) {
        Node node;
        node.name = fmt::format("n{}", n);
        node.parent = n - 1;
        node.local.t = {0, n == 0 ? 0 : length, 0};
        scene.nodes.push_back(node);
    }
    scene.roots = {0};
    return scene;
}

void for_each_truncation(const std::vector<std::uint8_t>& bytes,
                         const std::function<void(const std::vector<std::uint8_t>&)>& check) {
    for (std::size_t n = 0; n < bytes.size(); ++n) {
        std::vector<std::uint8_t> part(bytes.begin(),
                                       bytes.begin() + static_cast<std::ptrdiff_t>(n));
        part.shrink_to_fit();
        SCOPED_TRACE(fmt::format("first {} bytes", n));
        check(part);
    }
}

void for_each_bit_flip(const std::vector<std::uint8_t>& bytes,
                       const std::function<void(const std::vector<std::uint8_t>&)>& check) {
    std::vector<std::uint8_t> changed = bytes;
    for (std::size_t bit = 0; bit < bytes.size() * 8;
         bit += bit < 8 * 256 && !sanitized() ? 1 : 9) {
        const auto mask = static_cast<std::uint8_t>(1U << (bit % 8));
        changed[bit / 8] ^= mask;
        SCOPED_TRACE(fmt::format("bit {} of byte {}", bit % 8, bit / 8));
        check(changed);
        changed[bit / 8] ^= mask;
    }
}

}  // namespace mellow::test
