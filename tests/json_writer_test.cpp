// The JSON writer against another library's reader, and against bytes worked by hand.
#include "base/json_writer.h"

#include <limits>
#include <nlohmann/json.hpp>
#include <random>

#include "support.h"

namespace mellow {
namespace {

using nlohmann::json;

TEST(JsonWriterTest, BytesAsTheyStandInFiles) {
    JsonWriter w;
    w.begin_object().member("a", 1).member("b", 2.0).member("c", true).member("d", "x\"\n\x01");
    w.key("e").numbers(std::vector<float>{1, 0.1F}).list("f", std::vector<int>{});
    w.raw_member("g", "[1]").raw_member("h", "").text_member("i", "").end_object();
    EXPECT_EQ(w.text(),
              "{\"a\":1,\"b\":2.0,\"c\":true,\"d\":\"x\\\"\\n\\u0001\",\"e\":[1,0.1],\"f\":[],"
              "\"g\":[1]}");
    JsonWriter pretty(JsonWriter::Form::kIndented);
    pretty.begin_object().list("a", std::vector<int>{1, 2}).end_object();
    EXPECT_EQ(pretty.text(), "{\n  \"a\": [\n    1,\n    2\n  ]\n}");
}

TEST(JsonWriterTest, NumbersReadBackAsTheyWere) {
    std::mt19937_64 random(1);
    std::vector<double> doubles{0,
                                -0.0,
                                1,
                                1e300,
                                5e-324,
                                0.1,
                                1e15,
                                123456789012345680.0,
                                std::numeric_limits<double>::max()};
    for (int i = 0; i < 2000; ++i) {
        double v = 0;
        const std::uint64_t bits = random();
        std::memcpy(&v, &bits, sizeof v);
        if (std::isfinite(v)) doubles.push_back(v);
    }
    JsonWriter w;
    w.begin_array();
    for (const double v : doubles) w.value(v);
    w.end_array();
    const json read = json::parse(w.text());
    for (std::size_t i = 0; i < doubles.size(); ++i) {
        EXPECT_TRUE(read[i].is_number_float()) << doubles[i];
        EXPECT_EQ(read[i].get<double>(), doubles[i]);
    }
    JsonWriter none;
    none.begin_array().value(std::nan("")).value(HUGE_VAL).end_array();
    EXPECT_EQ(none.text(), "[null,null]");
}

/// Whatever bytes a text holds, what comes out is JSON; texts that are UTF-8 come back whole.
TEST(JsonWriterTest, AnyBytesGiveJson) {
    std::mt19937 random(2);
    for (int i = 0; i < 500; ++i) {
        std::string text(1 + random() % 12, ' ');
        for (char& c : text) c = static_cast<char>(random() % 256);
        JsonWriter w;
        w.begin_array().value(text).end_array();
        EXPECT_TRUE(json::accept(w.text())) << testing::PrintToString(text);
    }
    for (const std::string& text : {std::string("Apfelwein \xC3\xA4\xE2\x82\xAC\xF0\x9F\x8D\x8E"),
                                    std::string("a\0b", 3), std::string()}) {
        JsonWriter w;
        w.begin_array().value(text).end_array();
        EXPECT_EQ(json::parse(w.text())[0].get<std::string>(), text);
    }
    JsonWriter w;
    w.begin_array().value("\xED\xA0\x80 \xC0\x80 \xFF").end_array();  // a surrogate, overlong, none
    EXPECT_EQ(json::parse(w.text())[0].get<std::string>().find('\xED'), std::string::npos);
}

TEST(JsonWriterTest, MembersOfAnObjectJoinAnother) {
    JsonWriter w;
    w.begin_object().member("own", 1);
    EXPECT_TRUE(w.members_of(R"( {"a": 1.50, "b": {"c": [true, null, "x\u00e4"], "d": {}}} )"));
    w.end_object();
    EXPECT_EQ(w.text(), "{\"own\":1,\"a\":1.50,\"b\":{\"c\":[true,null,\"x\xC3\xA4\"],\"d\":{}}}");
    for (const char* wrong : {"", " ", "[1]", "7"}) {
        JsonWriter empty;
        empty.begin_object();
        EXPECT_FALSE(empty.members_of(wrong)) << wrong;
        EXPECT_EQ(empty.end_object().text(), "{}") << wrong;
    }
}

TEST(JsonWriterTest, ASinkTakesTheSameTextInPieces) {
    std::string pieces;
    int count = 0;
    JsonWriter out(JsonWriter::Form::kIndented, [&](std::string_view t) { pieces += t, ++count; });
    JsonWriter kept(JsonWriter::Form::kIndented);
    for (JsonWriter* w : {&out, &kept}) {
        w->begin_array();
        for (int i = 0; i < 40000; ++i) w->value(i);
        w->end_array().finish();
    }
    EXPECT_EQ(pieces, kept.text());
    EXPECT_GT(count, 3);
    EXPECT_TRUE(pieces.ends_with("]\n"));
}

}  // namespace
}  // namespace mellow
