import type { NextConfig } from 'next';

const config: NextConfig = {
  serverExternalPackages: ['sequelize', 'mysql2', '@node-rs/argon2', 'rate-limiter-flexible', 'pdfkit'],
  poweredByHeader: false,
  devIndicators: false,
  typescript: { ignoreBuildErrors: true },
};
export default config;
