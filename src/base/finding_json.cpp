#include "base/finding_json.h"

namespace mellow {

void write_place(JsonWriter& json, const Place& place) {
    json.member("where", place.text());
    if (place.file.empty()) return;
    json.member("file", place.file);
    if (place.line > 0) json.member("line", place.line);
    if (!place.path.empty()) json.member("path", place.path);
}

void write_calls(JsonWriter& json, const std::vector<Call>& calls) {
    if (calls.empty()) return;
    json.list("calls", calls, [&](const Call& call) {
        json.begin_object().member("job", name(call.job)).text_member("subject", call.subject);
        json.list("asked", call.asked, [&](const Call::Asked& asked) {
            json.begin_object().member("option", name(asked.option));
            json.text_member("value", asked.value).end_object();
        });
        json.end_object();
    });
}

void write_finding(JsonWriter& json, const Finding& f) {
    json.member("code", name(f.code)).member("severity", name(f.severity));
    write_place(json, f.where);
    json.member("found", f.found);
    json.member("expected", f.expected).member("remedy", f.remedy);
    if (!f.edits.empty())
        json.list("edits", f.edits, [&](const Edit& edit) {
            json.begin_object().member("table", edit.table).member("key", edit.key);
            json.text_member("value", edit.value).end_object();
        });
    write_calls(json, f.calls);
}

void write_findings(JsonWriter& json, const Findings& findings) {
    json.list("findings", findings, [&](const Finding& f) {
        json.begin_object();
        write_finding(json, f);
        json.end_object();
    });
}

}  // namespace mellow
