/** The document against the list of operations; that it is OpenAPI 3.1 is checked where it is served (tests/e2e/api.spec.ts). */
import { openApiDocument } from '@/app/api/v1/document';
import { OPERATIONS } from '@/app/api/v1/operations';

const document = JSON.parse(JSON.stringify(openApiDocument())) as {
  paths: Record<string, Record<string, { operationId: string; parameters: Array<{ name: string; in: string }> }>>;
  components: { schemas: Record<string, unknown> };
};

test('every operation is described once, with each number of its path and with the key on each change', () => {
  const described = Object.entries(document.paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, { operationId }]) => `${method} ${path} ${operationId}`),
  );
  expect(described.sort()).toEqual(OPERATIONS.map((o) => `${o.method} ${o.path} ${o.id}`).sort());
  for (const { path, method } of OPERATIONS) {
    const { parameters } = document.paths[path]?.[method] as { parameters: Array<{ name: string; in: string }> };
    const inPath = parameters.filter((p) => p.in === 'path').map((p) => `{${p.name}}`);
    expect(inPath.every((name) => path.includes(name)) && inPath.length === (path.match(/\{/g) ?? []).length).toBe(
      true,
    );
    expect(parameters.some((p) => p.name === 'Idempotency-Key')).toBe(method !== 'get');
  }
});

test('every schema that is referred to is there', () => {
  const referred = [...JSON.stringify(document).matchAll(/#\/components\/schemas\/(\w+)/g)].map(([, name]) => name);
  for (const name of new Set(referred)) expect(Object.keys(document.components.schemas)).toContain(name);
});
