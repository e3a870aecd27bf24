import type { NextConfig } from 'next';

const config: NextConfig = {
  serverExternalPackages: ['sequelize', 'mysql2', '@node-rs/argon2', 'rate-limiter-flexible', 'pdfkit'],
  poweredByHeader: false,
  devIndicators: false,
  // npm test checks the types of everything at once; a start should not wait for it.
  typescript: { ignoreBuildErrors: true },
};
export default config;
