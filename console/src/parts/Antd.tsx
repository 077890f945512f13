import { ConfigProvider, theme } from "antd";
import type { ReactNode } from "react";

/** Ant Design in the console's colours, for the pages that use it. */
export function Antd({ dark, children }: { dark: boolean; children: ReactNode }) {
  return (
    <ConfigProvider
      theme={{
        algorithm: dark ? theme.darkAlgorithm : theme.defaultAlgorithm,
        token: {
          colorPrimary: dark ? "#8fb4d6" : "#1f4b6e",
          colorBgContainer: dark ? "#1e1d1a" : "#fdfaf3",
          colorBgElevated: dark ? "#292722" : "#fdfaf3",
          colorTextPlaceholder: dark ? "#a8a294" : "#6b675e",
          colorLink: dark ? "#8fb4d6" : "#1f4b6e",
          colorLinkHover: dark ? "#b5d0ea" : "#163a57",
          colorLinkActive: dark ? "#b5d0ea" : "#163a57",
          colorInfo: dark ? "#8fb4d6" : "#1f4b6e",
          colorBgBase: dark ? "#1e1d1a" : "#fdfaf3",
          colorTextBase: dark ? "#e9e4d8" : "#2b2a27",
          colorTextLightSolid: dark ? "#1e1d1a" : "#fdfaf3",
          borderRadius: 4,
          fontFamily: "system-ui, 'Liberation Sans', sans-serif",
        },
      }}
    >
      {children}
    </ConfigProvider>
  );
}
