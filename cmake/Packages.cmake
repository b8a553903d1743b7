# Debian packages: `cpack` in a build folder makes mellow-crate (tool, manuals, completions, docs, examples) and
# libmellow-crate-dev (headers, libraries, CMake package, pkg-config file).
set(CPACK_GENERATOR DEB)
set(CPACK_PACKAGE_NAME mellow-crate)
set(CPACK_PACKAGE_CONTACT "Mellow Crate <mellow-crate@example.org>")
set(CPACK_PACKAGE_DESCRIPTION_SUMMARY "${PROJECT_DESCRIPTION}")
set(CPACK_PACKAGING_INSTALL_PREFIX /usr)
set(CPACK_STRIP_FILES ON)
set(CPACK_DEB_COMPONENT_INSTALL ON)
set(CPACK_COMPONENTS_ALL tool development)
set(CPACK_DEBIAN_FILE_NAME DEB-DEFAULT)
set(CPACK_DEBIAN_PACKAGE_SECTION graphics)
set(CPACK_DEBIAN_TOOL_PACKAGE_NAME mellow-crate)
set(CPACK_DEBIAN_TOOL_PACKAGE_SHLIBDEPS ON)
set(CPACK_DEBIAN_TOOL_PACKAGE_DEPENDS fonts-dejavu-core)
set(CPACK_COMPONENT_TOOL_DESCRIPTION "The tool mellow: one recipe bakes rigged animation to its deform joints, sets unit, axes, rate and root motion, packs it for a game engine and measures every written file against the rig.")
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_NAME libmellow-crate-dev)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_SECTION libdevel)
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_DEPENDS "libfmt-dev, libtomlplusplus-dev, libtbb-dev")
# What only the library mellow::io needs.
set(CPACK_DEBIAN_DEVELOPMENT_PACKAGE_RECOMMENDS
  "pkg-config, libsimdjson-dev, libmeshoptimizer-dev, libpugixml-dev, libcairo2-dev, libpng-dev, libxxhash-dev")
set(CPACK_COMPONENT_DEVELOPMENT_DESCRIPTION "Headers and libraries of Mellow Crate: mellow::core bakes in memory, mellow::io reads, writes, packs and proves.")
include(CPack)
