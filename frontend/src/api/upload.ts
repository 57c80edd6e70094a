// Sending a file with progress, which fetch cannot tell.
import { csrfToken } from "./client";
import { ApiError, toApiError } from "./problem";

/** Posts a file as multipart; `onSent` gets the share sent so far, 0 to 1. Rejects with an ApiError. */
export function upload<T>(url: string, file: File, onSent: (share: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const body = new FormData();
    body.append("file", file);
    request.upload.addEventListener("progress", (event) => {
      if (event.lengthComputable) onSent(event.loaded / event.total);
    });
    request.addEventListener("load", () => {
      let answer: unknown = null;
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        // Not JSON: whatever stands before the API refused the file; the status says enough.
      }
      if (request.status >= 200 && request.status < 300) resolve(answer as T);
      else reject(toApiError(request.status, answer));
    });
    request.addEventListener("error", () => {
      reject(new ApiError(0, "urn:faena:unreachable", "Faena does not answer", "The upload broke off; try again."));
    });
    request.open("POST", url);
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.send(body);
  });
}
