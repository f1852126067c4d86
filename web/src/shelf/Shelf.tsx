import { Box, Flex, Grid, Input, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useLocation } from "wouter";
import { http, sendRecipes, taken } from "../api/client";
import { useComing, useLogOut } from "../api/coming";
import { useSchema } from "../api/queries";
import { short } from "../model/numbers";
import type { Project } from "../model/types";
import { Do, Empty, Heading, Quiet, Wrong } from "../theme/parts";
import { Head } from "./Head";
import { Row } from "./Row";
import { Sessions } from "./Sessions";
import { Sharing } from "./Sharing";

const path = (project: number) => ({ params: { path: { project } } });

/** The list of projects. */
export function Shelf() {
  const cache = useQueryClient();
  const [, go] = useLocation();
  const [deleted, setDeleted] = useState<Project | null>(null);
  const [sharing, setSharing] = useState<Project | null>(null);
  const [sessionsOpen, setSessionsOpen] = useState(false);
  const schema = useSchema();
  const coming = useComing();
  const logOut = useLogOut();
  const projects = useQuery({
    queryKey: ["projects"],
    queryFn: () => taken(http.GET("/api/projects")),
    gcTime: 0, // a shelf of before would be shown until the new one is there, and clicked on
  });
  const again = () => cache.invalidateQueries({ queryKey: ["projects"] });
  const make = useMutation({
    mutationFn: (body: { name: string; demo: boolean }) =>
      taken(http.POST("/api/projects", { body })),
    onSuccess: (project) => {
      again();
      go(`/project/${project.id}`);
    },
  });
  const bring = useMutation({
    mutationFn: sendRecipes,
    onSuccess: (made) => {
      again();
      const [only, ...others] = made;
      if (only && others.length === 0) go(`/project/${only.id}`);
    },
  });
  const act = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onSettled: again,
  });
  useEffect(() => {
    document.title = "Plodek";
  }, []);
  const shelved = projects.data?.projects;
  const problem = make.error ?? bring.error ?? act.error ?? projects.error;
  return (
    <Box height="100%" overflow="auto">
      <Head>
        {coming.data?.user && <Text>{coming.data.user}</Text>}
        {coming.data?.may_leave && (
          <Text as="button" cursor="pointer" color="barText" onClick={() => setSessionsOpen(true)}>
            Sessions
          </Text>
        )}
        {coming.data?.may_leave && (
          <Text as="button" cursor="pointer" color="barText" onClick={() => logOut.mutate()}>
            Log out
          </Text>
        )}
        <Text>{schema.data ? `version ${schema.data.version}` : ""}</Text>
      </Head>
      <Grid templateColumns="minmax(0, 1fr) 300px" gap="10" maxW="1080px" mx="auto" px="6" py="8">
        <Box>
          <Heading right={shelved ? `${shelved.length}` : ""}>Projects</Heading>
          {problem && <Wrong>{problem.message}</Wrong>}
          {deleted && (
            <Flex
              role="status"
              align="center"
              justify="space-between"
              bg="tealSoft"
              px="3"
              py="2"
              mb="2"
              borderRadius="md"
            >
              <Text>“{deleted.name}” is off the shelf.</Text>
              <Quiet
                onClick={() => {
                  const { id } = deleted;
                  act.mutate(() => taken(http.POST("/api/projects/{project}/restored", path(id))));
                  setDeleted(null);
                }}
              >
                Undo
              </Quiet>
            </Flex>
          )}
          {bring.data && bring.data.length > 1 && (
            <Text role="status" color="muted" mb="2">
              {bring.data.length} projects have been brought in.
            </Text>
          )}
          {shelved?.length === 0 && (
            <Empty>
              The shelf is empty. Start a new project, or one from the demo, at the right.
            </Empty>
          )}
          {shelved?.map((project) => (
            <Row
              key={project.id}
              project={project}
              owned={coming.data?.needed ?? false}
              share={() => setSharing(project)}
              open={() => go(`/project/${project.id}`)}
              rename={(name) =>
                act.mutate(() =>
                  taken(
                    http.PATCH("/api/projects/{project}", { ...path(project.id), body: { name } }),
                  ),
                )
              }
              duplicate={() =>
                act.mutate(() =>
                  taken(http.POST("/api/projects/{project}/copies", path(project.id))),
                )
              }
              remove={() => {
                act.mutate(() => taken(http.DELETE("/api/projects/{project}", path(project.id))));
                setDeleted(project);
              }}
            />
          ))}
          <TakenOff
            projects={projects.data?.taken_off ?? []}
            back={(id) => {
              act.mutate(() => taken(http.POST("/api/projects/{project}/restored", path(id))));
              if (deleted?.id === id) setDeleted(null);
            }}
          />
        </Box>
        <Box>
          <NewProject make={(name, demo) => make.mutate({ name, demo })} busy={make.isPending} />
          <BringIn bring={bring.mutate} busy={bring.isPending} />
          <DownloadAll count={shelved?.length ?? 0} />
          {projects.data && (
            <FilesHeld now={projects.data.files_mb} most={projects.data.most_files_mb} />
          )}
        </Box>
      </Grid>
      {sessionsOpen && <Sessions close={() => setSessionsOpen(false)} />}
      {sharing && (
        <Sharing
          project={sharing}
          close={() => {
            setSharing(null);
            again();
          }}
        />
      )}
    </Box>
  );
}

function NewProject(props: { make: (name: string, demo: boolean) => void; busy: boolean }) {
  const [name, setName] = useState("");
  return (
    <Box>
      <Heading>New project</Heading>
      <Box
        as="form"
        bg="card"
        border="1px solid"
        borderColor="rule"
        borderRadius="lg"
        p="4"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) props.make(name, false);
        }}
      >
        <Text mb="1">Name</Text>
        <Input
          size="sm"
          aria-label="Name of the new project"
          value={name}
          maxLength={120}
          onChange={(event) => setName(event.target.value)}
          mb="3"
          bg="paper"
          borderColor="rule"
        />
        <Do type="submit" disabled={!name.trim() || props.busy}>
          Start an empty project
        </Do>
        <Quiet
          width="full"
          mt="2"
          size="sm"
          type="button"
          disabled={props.busy}
          onClick={() => props.make(name.trim() || "Intake pier, Saltmere", true)}
        >
          Start from the demo
        </Quiet>
        <Text fontSize="12px" color="muted" mt="3">
          The demo is the intake pier of a made-up pumping station, from a point file to a named
          grid.
        </Text>
      </Box>
    </Box>
  );
}

/** A project from another shelf: its recipe alone, or the ZIP file it was taken along as. */
function BringIn({ bring, busy }: { bring: (file: File) => void; busy: boolean }) {
  const input = useRef<HTMLInputElement>(null);
  const send = (files: FileList | null) => files?.[0] && bring(files[0]);
  return (
    <Box
      mt="8"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        send(event.dataTransfer.files);
      }}
    >
      <Heading>A recipe from elsewhere</Heading>
      <Quiet width="full" size="sm" disabled={busy} onClick={() => input.current?.click()}>
        {busy ? "Reading it …" : "Bring in a recipe"}
      </Quiet>
      <input
        ref={input}
        type="file"
        accept=".json,.zip"
        aria-label="Recipe file"
        hidden
        onChange={(event) => {
          send(event.target.files);
          event.target.value = "";
        }}
      />
      <Text fontSize="12px" color="muted" mt="3">
        A recipe (.json), or a project with its files (.zip) as Hand-off gives it. It can be dropped
        here too.
      </Text>
    </Box>
  );
}

/** What was taken off the shelf: brought back from here for a while, folded up until it is wanted. */
function TakenOff(props: {
  projects: { id: number; name: string; until: number }[];
  back: (project: number) => void;
}) {
  const [open, setOpen] = useState(false);
  if (props.projects.length === 0) return null;
  return (
    <Box mt="6">
      <Quiet aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "▾" : "▸"} Taken off the shelf ({props.projects.length})
      </Quiet>
      {open &&
        props.projects.map(({ id, name, until }) => (
          <Flex
            key={id}
            align="center"
            gap="3"
            px="4"
            py="1.5"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Text flex="1" minW="0" truncate>
              {name}
            </Text>
            <Text fontSize="12px" color="muted">
              dropped for good on{" "}
              {new Date(until * 1000).toLocaleDateString("en-GB", { dateStyle: "medium" })}
            </Text>
            <Quiet aria-label={`Bring back ${name}`} onClick={() => props.back(id)}>
              Bring back
            </Quiet>
          </Flex>
        ))}
    </Box>
  );
}

/** How much room the files of one's projects take, of what they may. */
function FilesHeld({ now, most }: { now: number; most: number }) {
  const room = (mb: number) =>
    mb < 1
      ? `${Math.round(1000 * mb)} kB`
      : mb < 1000
        ? `${short(mb)} MB`
        : `${short(mb / 1000)} GB`;
  return (
    <Text fontSize="12px" color={now > 0.9 * most ? "ochre" : "muted"} mt="8">
      The files of your projects take {room(now)} of {room(most)}; those off the shelf count too.
    </Text>
  );
}

/** All recipes with their files, to keep elsewhere or to bring in on another shelf. */
function DownloadAll({ count }: { count: number }) {
  if (count === 0) return null;
  return (
    <Box mt="8">
      <Heading>All projects</Heading>
      <Quiet asChild width="full" size="sm">
        <a href="/api/projects/download" download>
          Download all
        </a>
      </Quiet>
      <Text fontSize="12px" color="muted" mt="3">
        A ZIP file with the recipes as they stand and the files they read. Bring in a recipe takes
        it back, here or on another shelf.
      </Text>
    </Box>
  );
}
