// Pictures and logos are brought into the project, from which every shot of it can use them.
import { failure } from "./api.js";

export async function bringIn(project, file) {
  let response;
  try {
    response = await fetch(`/api/projects/${project}/pictures?name=${encodeURIComponent(file.name)}`, {
      method: "PUT",
      body: file,
    });
  } catch {
    throw failure("The server cannot be reached; the picture was not brought in.", "offline");
  }
  const answer = await response.json().catch(() => null);
  if (!response.ok)
    throw failure(answer?.message ?? `The server answered ${response.status}.`, answer?.error ?? "unknown");
  return answer;
}
