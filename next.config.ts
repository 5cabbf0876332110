import type { NextConfig } from 'next';

const config: NextConfig = {
  distDir: process.env.VIATIC_DIST ?? '.next',
  serverExternalPackages: [
    '@opentelemetry/api',
    'knex',
    'pg',
    'graphile-worker',
    'pino',
    'nodemailer',
    'standardwebhooks',
    'currency-codes',
    'mjml',
    'sanitize-html',
    '@resvg/resvg-wasm',
  ],
  poweredByHeader: false,
  reactStrictMode: true,
  devIndicators: false,
  typescript: { ignoreBuildErrors: true },
};

export default config;
