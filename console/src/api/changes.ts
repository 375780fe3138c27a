// Everything that the console changes in the house. The events that a change ends in
// come back over the live stream, and refresh what is shown.
import { addressParts, api, ask, type Schemas, type Threshold } from "./client";

const one = <K extends string>(key: K, value: string) =>
  ({ params: { path: { [key]: value } as Record<K, string> } }) as const;

// Switching

/** Have an entity take a value, like "on" or "40 %"; waits for its node's word. */
export const command = (entity: string, to: string) =>
  ask(
    api.POST("/api/entities/{node}/{name}/command", {
      params: { path: addressParts(entity) },
      body: { to },
    }),
  );

// Dashboards

export const addDashboard = (body: { title: string }) => ask(api.POST("/api/dashboards", { body }));
export const arrange = (dashboard: string, body: Schemas["DashboardChange"]) =>
  ask(api.PUT("/api/dashboards/{dashboard}", { ...one("dashboard", dashboard), body }));
export const removeDashboard = (dashboard: string) =>
  ask(api.DELETE("/api/dashboards/{dashboard}", one("dashboard", dashboard)));

// Scenes

export const recordScene = (title: string, entities: string[]) =>
  ask(api.POST("/api/scenes", { body: { title, entities } }));
export const recallScene = (scene: string) =>
  ask(api.POST("/api/scenes/{scene}/recall", one("scene", scene)));
export const keepSequence = (text: string) => ask(api.PUT("/api/sequences", { body: { text } }));
export const removeSequence = (sequence: string) =>
  ask(api.DELETE("/api/sequences/{sequence}", one("sequence", sequence)));
export const changePerson = (person: string, body: Schemas["PresenceChange"]) =>
  ask(api.PATCH("/api/presence/{person}", { ...one("person", person), body }));
export const removeScene = (scene: string) =>
  ask(api.DELETE("/api/scenes/{scene}", one("scene", scene)));

// Letting nodes in

export const openPairing = (length: string) => ask(api.POST("/api/pairing", { body: { length } }));
export const closePairing = () => ask(api.DELETE("/api/pairing"));
export const lookAt = (address: string) =>
  ask(api.POST("/api/arrivals/look", { body: { address } }));
export const admit = (arrival: string, body: Schemas["AdmitRequest"]) =>
  ask(api.POST("/api/arrivals/{arrival}/admit", { ...one("arrival", arrival), body }));
export const turnAway = (arrival: string) =>
  ask(api.DELETE("/api/arrivals/{arrival}", one("arrival", arrival)));
export const askArrivalAgain = (arrival: string) =>
  ask(api.POST("/api/arrivals/{arrival}/again", one("arrival", arrival)));
export const chooseNetwork = (choice: Schemas["ChoiceRequest"]["choice"]) =>
  ask(api.POST("/api/zigbee/network", { body: { choice } }));

// Nodes

export const addNode = (body: { name: string; room: string }) =>
  ask(api.POST("/api/nodes", { body }));
export const changeNode = (node: string, body: Schemas["NodeChange"]) =>
  ask(api.PATCH("/api/nodes/{node}", { ...one("node", node), body }));
export const removeNode = (node: string, keep: { history: "keep" | "delete" }) =>
  ask(api.DELETE("/api/nodes/{node}", { params: { path: { node }, query: keep } }));
export const askNodeAgain = (node: string) =>
  ask(api.POST("/api/nodes/{node}/again", one("node", node)));
export const changeSecret = (node: string, secret: string) =>
  ask(api.PUT("/api/nodes/{node}/secret", { ...one("node", node), body: { secret } }));
export const newNodeKey = (node: string) =>
  ask(api.POST("/api/nodes/{node}/key", one("node", node)));
export const revokeNodeKey = (node: string) =>
  ask(api.DELETE("/api/nodes/{node}/key", one("node", node)));
export const changeSetting = (node: string, setting: string, value: unknown) =>
  ask(
    api.PUT("/api/nodes/{node}/settings/{setting}", {
      params: { path: { node, setting } },
      body: { value },
    }),
  );
export const act = (node: string, action: string, inputs: Record<string, unknown>) =>
  ask(
    api.POST("/api/nodes/{node}/actions/{action}", {
      params: { path: { node, action } },
      body: { inputs },
    }),
  );
export const keepProfile = (node: string, text: string) =>
  ask(api.PUT("/api/nodes/{node}/profile", { ...one("node", node), body: { text } }));

// Entities

export const addEntity = (node: string, body: Schemas["PostedRequest"]) =>
  ask(api.POST("/api/nodes/{node}/entities", { ...one("node", node), body }));
export const changeEntity = (entity: string, body: Schemas["EntityChange"]) =>
  ask(api.PATCH("/api/entities/{node}/{name}", { params: { path: addressParts(entity) }, body }));
export const removeEntity = (entity: string) =>
  ask(api.DELETE("/api/entities/{node}/{name}", { params: { path: addressParts(entity) } }));
export const takePick = (body: Schemas["PickRequest"]) => ask(api.POST("/api/picks", { body }));

// Computed values

export const makeComputed = (body: Schemas["ComputedRequest"]) =>
  ask(api.POST("/api/computed", { body }));

// Conditioning

export const condition = (entity: string, body: Schemas["ConditioningRequest"]) =>
  ask(
    api.PUT("/api/entities/{node}/{name}/conditioning", {
      params: { path: addressParts(entity) },
      body,
    }),
  );
export const undoConditioning = (entity: string) =>
  ask(
    api.DELETE("/api/entities/{node}/{name}/conditioning", {
      params: { path: addressParts(entity) },
    }),
  );
/** What steps would make of the past; nothing is kept. */
export const tryConditioning = (entity: string, body: Schemas["TryRequest"]) =>
  ask(
    api.POST("/api/entities/{node}/{name}/conditioning/try", {
      params: { path: addressParts(entity) },
      body,
    }),
  );

// Calibration

/** A sensor beside a reference; nothing is changed. */
export const compareBeside = (entity: string, body: Schemas["CompareRequest"]) =>
  ask(
    api.POST("/api/entities/{node}/{name}/compare", {
      params: { path: addressParts(entity) },
      body,
    }),
  );
export const calibrate = (entity: string, body: Schemas["CalibrationRequest"]) =>
  ask(
    api.POST("/api/entities/{node}/{name}/calibration", {
      params: { path: addressParts(entity) },
      body,
    }),
  );

// Automations

export const addAutomation = (text: string) =>
  ask(api.POST("/api/automations", { body: { text } }));
export const changeAutomation = (automation: string, body: Schemas["AutomationChange"]) =>
  ask(api.PATCH("/api/automations/{automation}", { ...one("automation", automation), body }));
/** A text with another value at one place; nothing is kept. */
export const editText = (text: string, path: (string | number)[], value: string | null) =>
  ask(api.POST("/api/automations/edit", { body: { text, path, value } }));
export const fillStarter = (starter: string, blanks: Record<string, string>) =>
  ask(api.POST("/api/starters/{starter}", { ...one("starter", starter), body: { blanks } }));
export const runActions = (automation: string, edge: "start" | "end") =>
  ask(
    api.POST("/api/automations/{automation}/run", {
      ...one("automation", automation),
      body: { edge },
    }),
  );
export const acknowledge = (automation: string) =>
  ask(api.POST("/api/automations/{automation}/acknowledge", one("automation", automation)));
export const removeAutomation = (automation: string) =>
  ask(api.DELETE("/api/automations/{automation}", one("automation", automation)));
/** The text that the form's blanks make; nothing is kept. */
export const writeAutomation = (body: Threshold) =>
  ask(api.POST("/api/automations/write", { body }));

// Rooms

export const changeHouse = (body: Schemas["HouseChange"]) => ask(api.PATCH("/api/house", { body }));
export const addFloor = (name: string) => ask(api.POST("/api/floors", { body: { name } }));
export const changeFloor = (floor: string, body: Schemas["FloorChange"]) =>
  ask(api.PATCH("/api/floors/{floor}", { ...one("floor", floor), body }));
export const removeFloor = (floor: string) =>
  ask(api.DELETE("/api/floors/{floor}", one("floor", floor)));
export const addRoom = (body: { name: string; floor: string }) =>
  ask(api.POST("/api/rooms", { body }));
export const changeRoom = (room: string, body: Schemas["RoomChange"]) =>
  ask(api.PATCH("/api/rooms/{room}", { ...one("room", room), body }));
export const removeRoom = (room: string) => ask(api.DELETE("/api/rooms/{room}", one("room", room)));

// Contacts of people, MQTT accounts and programs

export const addPhone = (body: Schemas["PhoneRequest"]) => ask(api.POST("/api/phones", { body }));
export const addContact = (body: Schemas["ContactRequest"]) =>
  ask(api.POST("/api/contacts", { body }));
export const testContact = (contact: number) =>
  ask(api.POST("/api/contacts/{contact}/test", { params: { path: { contact } } }));
export const removeContact = (contact: number) =>
  ask(api.DELETE("/api/contacts/{contact}", { params: { path: { contact } } }));
export const addMqttAccount = (body: Schemas["MqttAccountRequest"]) =>
  ask(api.POST("/api/mqtt-accounts", { body }));
export const newMqttAccountKey = (account: string) =>
  ask(api.POST("/api/mqtt-accounts/{account}/key", one("account", account)));
export const removeMqttAccount = (account: string) =>
  ask(api.DELETE("/api/mqtt-accounts/{account}", one("account", account)));
export const endBrowser = (browser: string) =>
  ask(api.DELETE("/api/browsers/{browser}", { params: { path: { browser } } }));
export const revokeToken = (token: number) =>
  ask(api.DELETE("/api/tokens/{token}", { params: { path: { token } } }));

// Coming in and going

export const signIn = (body: Schemas["SignInRequest"]) => ask(api.POST("/api/session", { body }));
export const join = (body: Schemas["JoinRequest"]) => ask(api.POST("/api/join", { body }));
export const changePassword = (body: Schemas["PasswordRequest"]) =>
  ask(api.PUT("/api/session/password", { body }));
export const beginSecond = (password: string) =>
  ask(api.POST("/api/session/second", { body: { password } }));
export const confirmSecond = (code: string) =>
  ask(api.PUT("/api/session/second", { body: { code } }));
export const removeSecond = (password: string) =>
  ask(api.POST("/api/session/second/remove", { body: { password } }));
export const invite = (body: Schemas["PlaceRequest"]) =>
  ask(api.POST("/api/invitations", { body }));
export const revokeInvitation = (number: number) =>
  ask(api.DELETE("/api/invitations/{number}", { params: { path: { number } } }));
export const changePersonsRole = (person: string, body: Schemas["PlaceRequest"]) =>
  ask(api.PUT("/api/people/{person}", { ...one("person", person), body }));
export const removePerson = (person: string) =>
  ask(api.DELETE("/api/people/{person}", one("person", person)));
export const resetPassword = (person: string) =>
  ask(api.POST("/api/people/{person}/reset", one("person", person)));
export const signOut = () => ask(api.DELETE("/api/session"));
export const signInFirst = (body: Schemas["FirstSignInRequest"]) =>
  ask(api.POST("/api/first-sign-in", { body }));
