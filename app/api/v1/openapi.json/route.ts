import { openApiDocument } from '@/app/api/v1/document';

export function GET(): Response {
  return Response.json(openApiDocument());
}
