/** The path that a request asked for, as the proxy tells it to what is made for it. */
export const PATH_HEADER = "x-creel-path";
