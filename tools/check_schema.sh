# Fails when the committed schema, or the TypeScript types made from it, are not what the code gives now.
set -eu
fresh=$(mktemp -d)
trap 'rm -rf "$fresh"' EXIT
.venv/bin/python manage.py spectacular --file "$fresh/schema.yaml" --validate --fail-on-warn
(cd web && npx openapi-typescript "$fresh/schema.yaml" -o "$fresh/schema.d.ts" >/dev/null 2>&1)
for name in schema.yaml schema.d.ts; do
    cmp -s "$fresh/$name" "web/src/api/$name" || { echo "web/src/api/$name is stale: run “make schema” and commit it." >&2; exit 1; }
done
