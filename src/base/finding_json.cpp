#include "base/finding_json.h"

namespace mellow {

void write_findings(JsonWriter& json, const Findings& findings) {
    json.list("findings", findings, [&](const Finding& f) {
        json.begin_object().member("code", name(f.code)).member("severity", name(f.severity));
        json.member("where", f.where).member("found", f.found);
        json.member("expected", f.expected).member("remedy", f.remedy).end_object();
    });
}

}  // namespace mellow
