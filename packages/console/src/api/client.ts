import {
  ServiceClient,
  ServiceError,
  type DatasetInfo,
  type Log,
  type Problem,
  type ProblemCode,
  type LogReadOptions,
} from '@jadefence/contract';

/** The service that this page came from; the session cookie signs in. */
export const service = new ServiceClient({ baseUrl: '' });

export function hasProblem(error: unknown, code: ProblemCode): boolean {
  return error instanceof ServiceError && error.problem?.code === code;
}

/** @param files one log, merged if there are several */
export function uploadLog(
  files: readonly File[],
  query: { name: string } & LogReadOptions,
  onProgress: (share: number) => void,
  signal?: AbortSignal,
): Promise<Log> {
  if (files.length === 1) return upload('/logs', files[0]!, { ...query }, onProgress, signal);
  const form = new FormData();
  for (const file of files) form.append('file', file, file.name);
  return upload('/logs', form, { ...query }, onProgress, signal);
}

export function uploadDataset(
  file: File,
  query: Parameters<ServiceClient['importDataset']>[0],
  onProgress: (share: number) => void,
): Promise<DatasetInfo> {
  return upload('/datasets', file, query, onProgress);
}

/**
 * Uploads a file, or the parts of a form, with progress, which fetch does not report.
 * @param onProgress receives the share of the bytes that are sent, 0 to 1
 * @param signal ends it; the service keeps nothing of what it has received
 */
function upload<T>(
  path: string,
  body: File | FormData,
  query: Readonly<Record<string, string | boolean | undefined>>,
  onProgress: (share: number) => void,
  signal?: AbortSignal,
): Promise<T> {
  const pairs = Object.entries(query).flatMap(([key, value]) =>
    value === undefined || value === '' ? [] : [[key, String(value)]],
  );
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('POST', `/api/v1${path}?${new URLSearchParams(pairs)}`);
    // A form sets its type itself, with its boundary.
    if (body instanceof File) request.setRequestHeader('content-type', 'application/octet-stream');
    request.responseType = 'json';
    request.upload.onprogress = ({ loaded, total }) => onProgress(total === 0 ? 1 : loaded / total);
    request.onerror = () => reject(new ServiceError('The service cannot be reached.'));
    request.onload = () => {
      if (request.status < 300) return resolve(request.response as T);
      const problem = request.response as Problem | null;
      reject(new ServiceError(problem?.detail ?? `The service answered ${request.status}.`, problem ?? undefined));
    };
    request.onabort = () => reject(new Error('The upload was cancelled; nothing was kept.'));
    signal?.addEventListener('abort', () => request.abort());
    request.send(body);
  });
}
