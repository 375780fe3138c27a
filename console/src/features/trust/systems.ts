// How each kind of system takes up a certificate authority, from its makers' documentation.
export type Step = {
  /** What to do. */
  text: string;
  /** The rows of the settings page where it is done, the one to press marked with a star. */
  drawn?: string[];
};
export type System = {
  id: "iphone" | "android" | "windows" | "mac" | "linux";
  name: string;
  /** The file that this system takes. */
  file: "mobileconfig" | "crt" | "pem";
  steps: Step[];
};

export const SYSTEMS: System[] = [
  {
    id: "iphone",
    name: "iPhone, iPad",
    file: "mobileconfig",
    steps: [
      { text: "Open this page in Safari and press “Get the certificate”. Allow the download." },
      {
        text: "In Settings, open “Profile Downloaded” and install the profile.",
        drawn: ["Airplane Mode", "Wi-Fi", "*Profile Downloaded", "General"],
      },
      {
        text: "In Settings, General, About, Certificate Trust Settings: switch full trust on for this house.",
        drawn: ["Enable full trust for", "*this house ◉"],
      },
    ],
  },
  {
    id: "android",
    name: "Android",
    file: "crt",
    steps: [
      { text: "Press “Get the certificate” and keep the file." },
      {
        text: "In Settings, search for “CA certificate”. It is under Security, Encryption and credentials, Install a certificate.",
        drawn: ["Install a certificate", "*CA certificate", "VPN and app user certificate"],
      },
      {
        text: "The phone warns you that whoever has the certificate could watch. This one can speak only for this house. Press “Install anyway” and choose the file.",
      },
    ],
  },
  {
    id: "windows",
    name: "Windows",
    file: "crt",
    steps: [
      { text: "Press “Get the certificate” and open the file." },
      {
        text: "Choose “Install Certificate”, then “Current User”, then “Place all certificates in the following store”.",
        drawn: ["Automatically select the store", "*Place all in the following store"],
      },
      {
        text: "Browse to “Trusted Root Certification Authorities” and finish. Say yes when asked.",
      },
      { text: "Close the browser and open it again." },
    ],
  },
  {
    id: "mac",
    name: "Mac",
    file: "crt",
    steps: [
      { text: "Press “Get the certificate” and open the file. Keychain Access takes it up." },
      {
        text: "Open it there, unfold “Trust”, and choose “Always Trust”.",
        drawn: ["When using this certificate", "*Always Trust"],
      },
    ],
  },
  {
    id: "linux",
    name: "Linux",
    file: "pem",
    steps: [
      { text: "Press “Get the certificate” and keep the file." },
      {
        text: "In the browser’s settings, search for “certificates”. Under Authorities, import the file and trust it for websites.",
        drawn: ["Your certificates", "*Authorities", "Others"],
      },
      {
        text: "For programs on Debian: copy it to /usr/local/share/ca-certificates/house.crt and run “sudo update-ca-certificates”.",
      },
    ],
  },
];

/** The system that a browser says it runs on. */
export function systemOf(agent: string, touches = 0): System["id"] {
  if (/iPhone|iPad/.test(agent) || (/Macintosh/.test(agent) && touches > 1)) return "iphone";
  if (/Android/.test(agent)) return "android";
  if (/Windows/.test(agent)) return "windows";
  if (/Macintosh/.test(agent)) return "mac";
  return "linux";
}
