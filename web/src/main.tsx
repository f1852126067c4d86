import "@fontsource/ibm-plex-mono/latin-400.css";
import "@fontsource/ibm-plex-mono/latin-500.css";
import "@fontsource/ibm-plex-sans/latin-400.css";
import "@fontsource/ibm-plex-sans/latin-500.css";
import "@fontsource/ibm-plex-sans/latin-600.css";
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { Route, Switch } from "wouter";
import { Board } from "./board/Board";
import { Door } from "./shelf/Door";
import { Shelf } from "./shelf/Shelf";
import { system } from "./theme/system";
import "./theme/mode";

const cache = new QueryClient({ defaultOptions: { queries: { retry: 1 } } });

createRoot(document.getElementById("root") as HTMLElement).render(
  <ChakraProvider value={system}>
    <QueryClientProvider client={cache}>
      <Door>
        <Switch>
          <Route path="/project/:id">{({ id }) => <Board project={Number(id)} key={id} />}</Route>
          <Route>
            <Shelf />
          </Route>
        </Switch>
      </Door>
    </QueryClientProvider>
  </ChakraProvider>,
);
