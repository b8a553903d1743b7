#!/bin/sh
# Validates COLLADA files against the 1.4.1 schema, without a network:
#   tools/check_collada.sh FILE.dae...
# The schema comes with Debian's python3-collada; the one it imports is found through a catalog.
set -eu
resources=$(/usr/bin/python3 -c 'import importlib.util as u, os; print(os.path.dirname(u.find_spec("collada").origin))')/resources
test -f "$resources/schema-1.4.1.xml" || { echo "no COLLADA schema: run scripts/setup.sh check" >&2; exit 2; }
catalog=$(mktemp)
trap 'rm -f "$catalog"' EXIT
cat > "$catalog" <<EOF
<catalog xmlns="urn:oasis:names:tc:entity:xmlns:xml:catalog">
<system systemId="http://www.w3.org/2001/03/xml.xsd" uri="file://$resources/xsd.xml"/>
<uri name="http://www.w3.org/2001/03/xml.xsd" uri="file://$resources/xsd.xml"/>
</catalog>
EOF
XML_CATALOG_FILES="$catalog" xmllint --noout --nonet --schema "$resources/schema-1.4.1.xml" "$@"
