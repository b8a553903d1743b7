// What checking found, as text, JSON and JUnit XML; declared in check.h.
#include <fmt/format.h>

#include <pugixml.hpp>
#include <sstream>

#include "base/finding_json.h"
#include "base/json_writer.h"
#include "mellow/check.h"

namespace mellow {
namespace {

std::string place(const Demand& demand) { return demand.file.empty() ? "all" : demand.file; }

std::string demand_text(const Demand& d) {
    std::string text = fmt::format("{:6} {:15} {}\n", d.met ? "met" : "UNMET", d.id, place(d));
    if (d.met) return text;
    text += fmt::format("         wanted: {}\n         found:  {}\n", d.wanted, d.found);
    if (!d.remedy.empty()) text += fmt::format("         do:     {}\n", d.remedy);
    return text;
}

}  // namespace

void check_text(const CheckReport& report, bool all, const TextSink& out) {
    out(fmt::format("{}: {} {} against {}\n", report.what, report.files,
                    report.files == 1 ? "file" : "files", report.target));
    bool any = false;
    for (const Demand& d : report.demands) {
        if (d.met && !all) continue;
        if (!any) out("\n");
        any = true;
        out(demand_text(d));
    }
    out(fmt::format("\n{}: {} of {} demands are met\n", report.passed() ? "PASSED" : "FAILED",
                    report.demands.size() - report.unmet(), report.demands.size()));
}

void check_json(const CheckReport& report, const TextSink& out) {
    JsonWriter json(JsonWriter::Form::kIndented, out);
    json.begin_object().member("what", report.what).member("target", report.target);
    json.member("files", report.files).member("passed", report.passed());
    json.member("unmet", report.unmet());
    json.list("demands", report.demands, [&](const Demand& d) {
        json.begin_object().member("id", d.id).member("file", d.file).member("wanted", d.wanted);
        json.member("found", d.found).member("met", d.met);
        json.text_member("remedy", d.remedy);
        write_calls(json, d.calls);
        json.end_object();
    });
    json.end_object().finish();
}

std::string check_junit(const std::vector<CheckReport>& reports) {
    pugi::xml_document document;
    pugi::xml_node suites = document.append_child("testsuites");
    for (const CheckReport& report : reports) {
        pugi::xml_node suite = suites.append_child("testsuite");
        suite.append_attribute("name") =
            fmt::format("{} against {}", report.what, report.target).c_str();
        suite.append_attribute("tests") = static_cast<unsigned>(report.demands.size());
        suite.append_attribute("failures") = static_cast<unsigned>(report.unmet());
        for (const Demand& d : report.demands) {
            pugi::xml_node test = suite.append_child("testcase");
            test.append_attribute("classname") = place(d).c_str();
            test.append_attribute("name") = d.id.c_str();
            if (d.met) {
                test.append_child("system-out")
                    .append_child(pugi::node_pcdata)
                    .set_value(fmt::format("wanted: {}\nfound: {}", d.wanted, d.found).c_str());
                continue;
            }
            pugi::xml_node failure = test.append_child("failure");
            failure.append_attribute("message") = d.found.c_str();
            failure.append_child(pugi::node_pcdata)
                .set_value(fmt::format("wanted: {}\nfound: {}\ndo: {}", d.wanted, d.found, d.remedy)
                               .c_str());
        }
    }
    std::ostringstream text;
    document.save(text, " ");
    return text.str();
}

}  // namespace mellow
