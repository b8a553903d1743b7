#include "base/finding_json.h"

namespace mellow {

void write_finding(JsonWriter& json, const Finding& f) {
    json.member("code", name(f.code)).member("severity", name(f.severity));
    json.member("where", f.where).member("found", f.found);
    json.member("expected", f.expected).member("remedy", f.remedy);
}

void write_findings(JsonWriter& json, const Findings& findings) {
    json.list("findings", findings, [&](const Finding& f) {
        json.begin_object();
        write_finding(json, f);
        json.end_object();
    });
}

}  // namespace mellow
