import { describe, expect, it } from 'vitest';
import { ConfigError, readConfig } from './config.js';

const DATABASE = { JADEFENCE_DATABASE_URL: 'postgres://a:b@127.0.0.1:5432/c' };

describe('the settings', () => {
  it('have defaults for everything but the database', () => {
    expect(readConfig(DATABASE)).toMatchObject({
      host: '127.0.0.1',
      port: 7340,
      databaseUrl: 'postgres://a:b@127.0.0.1:5432/c',
      logLevel: 'info',
      isBehindHttps: false,
      maxUploadBytes: 10_737_418_240,
      maxLimitKeys: 5_000_000,
      checkpointSeconds: 5,
    });
    expect(readConfig(DATABASE).signInFile).toMatch(/\/\.jadefence\/sign-in$/);
  });

  it.each([
    ['JADEFENCE_PORT', '0', 'port', 0],
    ['JADEFENCE_HOST', '::1', 'host', '::1'],
    ['JADEFENCE_LOG_LEVEL', 'silent', 'logLevel', 'silent'],
    ['JADEFENCE_BEHIND_HTTPS', 'yes', 'isBehindHttps', true],
    ['JADEFENCE_MAX_UPLOAD_BYTES', '1000', 'maxUploadBytes', 1000],
    ['JADEFENCE_MAX_LIMIT_KEYS', '20', 'maxLimitKeys', 20],
    ['JADEFENCE_CHECKPOINT_SECONDS', '0', 'checkpointSeconds', 0],
    ['JADEFENCE_SIGN_IN_FILE', '/tmp/x', 'signInFile', '/tmp/x'],
  ])('%s=%s is taken', (name, text, key, value) => {
    expect(readConfig({ ...DATABASE, [name]: text })).toMatchObject({ [key]: value });
  });

  it.each([
    ['JADEFENCE_PORT', '65536'],
    ['JADEFENCE_PORT', '-1'],
    ['JADEFENCE_PORT', ''],
    ['JADEFENCE_LOG_LEVEL', 'INFO'],
    ['JADEFENCE_BEHIND_HTTPS', 'true'],
    ['JADEFENCE_MAX_UPLOAD_BYTES', '1GB'],
    ['JADEFENCE_DATABASE_URL', 'localhost'],
  ])('%s=%s is refused by its name, with what was expected', (name, text) => {
    const read = (): unknown => readConfig({ ...DATABASE, [name]: text });
    expect(read).toThrow(ConfigError);
    expect(read).toThrow(new RegExp(`^${name}: found ${text === '' ? '""' : JSON.stringify(text)}, expected `));
  });

  it('that are wrong are reported all at once', () => {
    expect(() => readConfig({ JADEFENCE_PORT: 'x' })).toThrow(
      'JADEFENCE_PORT: found "x", expected a port from 0 to 65535\nJADEFENCE_DATABASE_URL: found nothing, expected',
    );
  });
});
