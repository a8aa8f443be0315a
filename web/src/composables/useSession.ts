/** Who is in: on this machine everybody, from others by a passphrase. */
import { ref, shallowRef } from "vue";
import { api, Refused, taken, type Schemas } from "../api/client";

const now = shallowRef<Schemas["SessionNow"]>();
const sessions = shallowRef<Schemas["SessionRow"][]>([]);
const endAfter = ref(12);
const trouble = ref("");

// Whatever is asked for, a session that has ended leads to the passphrase.
api.use({
  onResponse({ response, request }) {
    if (response.status === 401 && !request.url.endsWith("/session")) void look();
    return response;
  },
});

async function attempt<T>(work: () => Promise<T>): Promise<T | undefined> {
  try {
    const done = await work();
    trouble.value = "";
    return done;
  } catch (error) {
    trouble.value = error instanceof Refused ? error.message : "The server does not answer; try again.";
    return undefined;
  }
}

async function look() {
  await attempt(async () => (now.value = taken(await api.GET("/session"))));
  return now.value;
}

/** Gets in; tells whether it was the passphrase. */
async function signIn(passphrase: string): Promise<boolean> {
  const done = await attempt(async () => {
    const answer = await api.POST("/session", { body: { passphrase } });
    if (!answer.response.ok) taken(answer);
    return true;
  });
  if (done) await look();
  return done ?? false;
}

async function signOut() {
  await attempt(async () => api.DELETE("/session"));
  await look();
}

async function list() {
  const found = await attempt(async () => taken(await api.GET("/sessions")));
  if (!found) return;
  sessions.value = found.sessions;
  endAfter.value = found.end_after_h;
}

async function end(id: number) {
  await attempt(async () => api.DELETE("/sessions/{id}", { params: { path: { id } } }));
  await list();
}

export function useSession() {
  return { now, sessions, endAfter, trouble, look, signIn, signOut, list, end };
}
