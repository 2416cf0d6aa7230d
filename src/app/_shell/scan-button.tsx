"use client";

import { ScanQrCode } from "lucide-react";
import { useRouter } from "next/navigation";
import { useEffect, useRef, useState } from "react";
import { Modal } from "@/ui/modal";
import { ProblemLine } from "@/ui/problem-line";

/** A picture is looked through at most so wide: a label fills a good part of it. */
const MOST_PIXELS = 640;
const EVERY_MS = 120;

/** What the camera sees on a label is found at once, where the browser gives a page a camera. */
export function ScanButton() {
  const [canScan, setCanScan] = useState(false);
  const [isOpen, setOpen] = useState(false);
  // Browsers offer a camera to pages of a secure address alone.
  useEffect(() => setCanScan(typeof navigator.mediaDevices?.getUserMedia === "function"), []);
  if (!canScan) return null;
  return (
    <>
      <button
        type="button"
        className="act px-2"
        aria-label="Scan a label with the camera"
        onClick={() => setOpen(true)}
      >
        <ScanQrCode size={17} aria-hidden />
      </button>
      {isOpen && <ScanDialog onClose={() => setOpen(false)} />}
    </>
  );
}

/** Where a label leads: an address of this server, or a tag to be found. */
function pathOf(text: string): string {
  try {
    const address = new URL(text);
    if (address.origin === window.location.origin) return `${address.pathname}${address.search}`;
  } catch {
    // A tag is no address.
  }
  return `/find?${new URLSearchParams({ q: text.trim().slice(0, 200) })}`;
}

function ScanDialog({ onClose }: { onClose: () => void }) {
  const router = useRouter();
  const video = useRef<HTMLVideoElement>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const close = useRef(onClose);
  useEffect(() => {
    close.current = onClose;
  });
  useEffect(() => {
    let stream: MediaStream | null = null;
    let timer: ReturnType<typeof setTimeout>;
    let isOver = false;
    const canvas = document.createElement("canvas");
    const look = async () => {
      const text = video.current && (await textIn(video.current, canvas));
      if (isOver) return;
      if (!text) {
        timer = setTimeout(look, EVERY_MS);
        return;
      }
      router.push(pathOf(text));
      close.current();
    };
    const begin = async () => {
      const camera = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
      // It may have been closed while the browser asked whether it may.
      if (isOver || !video.current) return stopped(camera);
      stream = camera;
      video.current.srcObject = camera;
      await video.current.play();
      await look();
    };
    begin().catch((error: unknown) => {
      if (!isOver) setProblem(cameraText(error));
    });
    return () => {
      isOver = true;
      clearTimeout(timer);
      if (stream) stopped(stream);
    };
  }, [router]);
  return (
    <Modal title="Scan a label" onClose={onClose}>
      <p className="text-quiet">Hold the code on the label in front of the camera.</p>
      <video ref={video} playsInline muted className="mt-3 aspect-4/3 w-full bg-sunk object-cover" />
      <ProblemLine text={problem} className="mt-2" />
      <button type="button" className="act mt-3" onClick={onClose}>
        Cancel
      </button>
    </Modal>
  );
}

/** The text of a QR code in what a video shows now; null where there is none. */
async function textIn(video: HTMLVideoElement, canvas: HTMLCanvasElement): Promise<string | null> {
  const { videoWidth, videoHeight } = video;
  if (videoWidth === 0 || videoHeight === 0) return null;
  const scale = Math.min(1, MOST_PIXELS / Math.max(videoWidth, videoHeight));
  canvas.width = Math.round(videoWidth * scale);
  canvas.height = Math.round(videoHeight * scale);
  const context = canvas.getContext("2d", { willReadFrequently: true });
  if (!context) return null;
  context.drawImage(video, 0, 0, canvas.width, canvas.height);
  const { data, width, height } = context.getImageData(0, 0, canvas.width, canvas.height);
  // Only whoever scans loads what reads codes.
  const { default: jsQR } = await import("jsqr");
  return jsQR(data, width, height)?.data || null;
}

function stopped(stream: MediaStream): void {
  for (const track of stream.getTracks()) track.stop();
}

/** Why there is no picture, in a sentence. Names of errors: W3C, Media Capture and Streams. */
function cameraText(error: unknown): string {
  const name = error instanceof DOMException ? error.name : "";
  if (name === "NotAllowedError")
    return "The browser does not let this page use the camera. Allow it, or type the tag.";
  if (name === "NotFoundError") return "No camera found. Type the tag instead.";
  return "The camera could not be used. Type the tag instead.";
}
