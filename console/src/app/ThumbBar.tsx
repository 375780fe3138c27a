// The places on a phone: one row at the thumb.
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { Ellipsis, Gauge, House, ListChecks, Radio } from "lucide-react";
import { Link, NavLink, useLocation } from "react-router";

const FIRST = [
  ["/", "House", House],
  ["/readings", "Readings", Gauge],
  ["/automations", "Automations", ListChecks],
  ["/nodes", "Nodes", Radio],
] as const;
const MORE = [
  ["/messages", "Messages"],
  ["/journal", "Journal"],
  ["/notices", "Notices"],
  ["/people", "People"],
  ["/settings", "Settings"],
] as const;
const LOOK =
  "flex min-h-14 min-w-0 flex-1 flex-col items-center justify-center gap-0.5 border-transparent border-t-2 text-act text-xs aria-[current=page]:border-act aria-[current=page]:text-ink";

// However large the text is set, five words have to fit beside each other.
const WORD = "max-w-full truncate text-[min(1em,3.4vw)]";

export function ThumbBar() {
  const here = useLocation().pathname;
  const inMore = MORE.some(([path]) => here.startsWith(path));
  return (
    <nav
      aria-label="Places at the thumb"
      className="fixed inset-x-0 bottom-0 z-10 flex border-rule border-t bg-paper pb-[env(safe-area-inset-bottom)] sm:hidden"
    >
      {FIRST.map(([path, label, Sign]) => (
        <NavLink key={path} to={path} end={path === "/"} className={LOOK}>
          <Sign aria-hidden className="size-5" />
          <span className={WORD}>{label}</span>
        </NavLink>
      ))}
      <Menu>
        <MenuButton aria-current={inMore ? "page" : undefined} className={LOOK}>
          <Ellipsis aria-hidden className="size-5" />
          <span className={WORD}>More</span>
        </MenuButton>
        <MenuItems
          anchor="top end"
          className="z-20 mb-2 rounded-sm border border-rule bg-sheet py-1 outline-none"
        >
          {MORE.map(([path, label]) => (
            <MenuItem key={path}>
              <Link
                to={path}
                className="block px-6 py-3 text-act data-focus:bg-act data-focus:text-on-act"
              >
                {label}
              </Link>
            </MenuItem>
          ))}
        </MenuItems>
      </Menu>
    </nav>
  );
}
