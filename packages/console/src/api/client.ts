import { ServiceClient, ServiceError, type Log, type Problem, type ProblemCode } from '@jadefence/contract';

/** The service that this page came from; the session cookie signs in. */
export const service = new ServiceClient({ baseUrl: '' });

export function hasProblem(error: unknown, code: ProblemCode): boolean {
  return error instanceof ServiceError && error.problem?.code === code;
}

/**
 * Uploads a log with progress, which fetch cannot tell.
 * @param onProgress hears the share of the bytes that are sent, 0 to 1
 */
export function uploadLog(
  file: File,
  query: { name: string; host?: string },
  onProgress: (share: number) => void,
): Promise<Log> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open(
      'POST',
      `/api/v1/logs?${new URLSearchParams(query.host ? { name: query.name, host: query.host } : { name: query.name })}`,
    );
    request.setRequestHeader('content-type', 'application/octet-stream');
    request.responseType = 'json';
    request.upload.onprogress = ({ loaded, total }) => onProgress(total === 0 ? 1 : loaded / total);
    request.onerror = () => reject(new ServiceError('The service cannot be reached.'));
    request.onload = () => {
      if (request.status === 201) return resolve(request.response as Log);
      const problem = request.response as Problem | null;
      reject(new ServiceError(problem?.detail ?? `The service answered ${request.status}.`, problem ?? undefined));
    };
    request.send(file);
  });
}
