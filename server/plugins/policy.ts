import { createHash } from 'node:crypto';
import { defineNitroPlugin } from 'nitropack/runtime';

const INLINE_SCRIPT = /<script(?![^>]*\bsrc=)[^>]*>([\s\S]*?)<\/script>/g;
const hashOf = (text: string): string => `'sha256-${createHash('sha256').update(text).digest('base64')}'`;

/**
 * Content security policy: resources from this server, and the inline scripts that were built in. Sound needs
 * WebAssembly, and worklets made from blobs.
 */
function policyOf(html: string): string {
  const inline = [...html.matchAll(INLINE_SCRIPT)].map(([, text]) => hashOf(text!));
  return [
    "default-src 'self'",
    `script-src 'self' blob: 'wasm-unsafe-eval' ${inline.join(' ')}`.trim(),
    "worker-src 'self' blob:",
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self' data:",
    "media-src 'self' blob:",
    "connect-src 'self' blob: data:",
    "object-src 'none'",
    "base-uri 'self'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ');
}

export default defineNitroPlugin((nitro) => {
  nitro.hooks.hook('render:response', (response) => {
    if (typeof response.body !== 'string') return;
    response.headers = { ...response.headers, 'Content-Security-Policy': policyOf(response.body) };
  });
  nitro.hooks.hook('request', (event) => {
    event.node.res.setHeader('X-Content-Type-Options', 'nosniff');
    event.node.res.setHeader('X-Frame-Options', 'DENY');
    event.node.res.setHeader('Referrer-Policy', 'no-referrer');
  });
});
