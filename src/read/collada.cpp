// The COLLADA reader: its parts in order.
#include "read/collada_build.h"
#include "read/pictures.h"

namespace mellow {

Result<ReadResult> read_collada(Bytes bytes, const std::string& file, const LoadFile& load,
                                const ReadLimits& limits) {
    ColladaDocument doc(file, load, limits);
    ReadResult out;
    ColladaBuild build{doc, out.scene, {}, {}, {}, {}, {}, {}};
    doc.open(std::move(bytes));
    using Step = void (*)(ColladaBuild&);
    for (const Step step :
         {read_collada_nodes, read_collada_materials, read_collada_meshes, read_collada_timelines})
        if (!doc.failed()) step(build);
    if (doc.failed()) return doc.error();
    out.findings = std::move(doc.findings);
    out.kind = FileFormat::kDae;
    out.format = std::string("COLLADA ") + doc.root().attribute("version").as_string("1.4.1");
    out.scene.rate_known = out.scene.rate_known || guess_rate(out.scene, out.scene.rate);
    if (out.scene.rate_known) snap_keys(out.scene);
    check_pictures(out, file);
    return out;
}

}  // namespace mellow
