//! `#[boxed]`: an asynchronous function whose future is a box.
//!
//! A bare asynchronous function is compiled by every crate that awaits it, with all it calls; a boxed one is
//! compiled where it stands. Every borrow of its arguments gets one lifetime, and no bound stands between
//! lifetimes: what the compiler proves under bounds of a function's own it remembers for that function alone,
//! and the proofs of a query's types are most of what the store costs to check.

use proc_macro2::{TokenStream, TokenTree};
use quote::{format_ident, quote};
use syn::parse::{Parse, ParseStream};
use syn::visit_mut::{self, VisitMut};
use syn::{
    Attribute, Error, FnArg, GenericParam, Lifetime, Pat, ReturnType, Signature, TypeImplTrait,
    TypeReference, Visibility, parse_quote,
};

/// Boxes the future of the asynchronous function it stands on: `async fn f(&self, a: &A) -> R` becomes
/// `fn f<'f>(&'f self, a: &'f A) -> Pin<Box<dyn Future<Output = R> + Send + 'f>>`.
///
/// # Errors
/// A compile error on anything but an asynchronous function without lifetimes of its own.
#[proc_macro_attribute]
pub fn boxed(_: proc_macro::TokenStream, item: proc_macro::TokenStream) -> proc_macro::TokenStream {
    expanded(item.into()).unwrap_or_else(|e| e.to_compile_error()).into()
}

/// A function whose body is left unread: it is copied as it stands.
struct Function {
    attributes: Vec<Attribute>,
    visibility: Visibility,
    signature: Signature,
    body: TokenTree,
}

impl Parse for Function {
    fn parse(input: ParseStream) -> syn::Result<Self> {
        Ok(Function {
            attributes: input.call(Attribute::parse_outer)?,
            visibility: input.parse()?,
            signature: input.parse()?,
            body: input.parse()?,
        })
    }
}

/// Names every borrow that has no name, and bounds what stands for an unnamed type.
struct Named(Lifetime);

impl VisitMut for Named {
    fn visit_type_reference_mut(&mut self, reference: &mut TypeReference) {
        reference.lifetime.get_or_insert_with(|| self.0.clone());
        visit_mut::visit_type_reference_mut(self, reference);
    }

    fn visit_lifetime_mut(&mut self, lifetime: &mut Lifetime) {
        if lifetime.ident == "_" {
            *lifetime = self.0.clone();
        }
    }

    fn visit_type_impl_trait_mut(&mut self, unnamed: &mut TypeImplTrait) {
        let lifetime = &self.0;
        unnamed.bounds.push(parse_quote!(#lifetime));
        visit_mut::visit_type_impl_trait_mut(self, unnamed);
    }
}

fn expanded(item: TokenStream) -> syn::Result<TokenStream> {
    let Function { attributes, visibility, mut signature, body } = syn::parse2(item)?;
    if signature.asyncness.take().is_none() {
        return Err(Error::new_spanned(
            signature.fn_token,
            "only an asynchronous function has a future to box",
        ));
    }
    if let Some(own) = signature.generics.lifetimes().next() {
        return Err(Error::new_spanned(own, "a boxed function has one lifetime, and it is not written"));
    }
    let lifetime: Lifetime = parse_quote!('f);
    let mut named = Named(lifetime.clone());
    let mut moved = Vec::new();
    for (nth, argument) in signature.inputs.iter_mut().enumerate() {
        match argument {
            FnArg::Receiver(receiver) => {
                if let Some((_, unnamed)) = &mut receiver.reference {
                    unnamed.get_or_insert_with(|| lifetime.clone());
                }
                visit_mut::visit_type_mut(&mut named, &mut receiver.ty);
            }
            FnArg::Typed(typed) => {
                visit_mut::visit_type_mut(&mut named, &mut typed.ty);
                // A pattern is taken apart inside, so that all of what was given lives until the future ends.
                let pattern = &typed.pat;
                let name = match &**pattern {
                    Pat::Ident(name) if name.subpat.is_none() => name.ident.clone(),
                    _ => format_ident!("given_{nth}"),
                };
                moved.push(quote!(let #pattern = #name;));
                typed.pat = parse_quote!(#name);
            }
        }
    }
    let output = match &mut signature.output {
        ReturnType::Default => quote!(()),
        ReturnType::Type(_, output) => {
            visit_mut::visit_type_mut(&mut named, output);
            quote!(#output)
        }
    };
    for generic in signature.generics.type_params_mut() {
        generic.bounds.push(parse_quote!(#lifetime));
    }
    signature.generics.params.insert(0, GenericParam::Lifetime(syn::LifetimeParam::new(lifetime.clone())));
    signature.output = parse_quote! {
        -> ::core::pin::Pin<::std::boxed::Box<
            dyn ::core::future::Future<Output = #output> + ::core::marker::Send + #lifetime
        >>
    };
    Ok(quote! {
        #(#attributes)*
        #visibility #signature {
            ::std::boxed::Box::pin(async move {
                #(#moved)*
                #body
            })
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn same(written: TokenStream, wanted: TokenStream) {
        let plain = |tokens: TokenStream| tokens.to_string().replace(' ', "");
        assert_eq!(plain(expanded(written).expect("expands")), plain(wanted));
    }

    #[test]
    fn every_borrow_gets_the_one_lifetime_and_no_bound_is_written() {
        same(
            quote! {
                /// Words.
                pub async fn read(&self, of: &Day, with: Option<&mut Pack<'_>>) -> Result<&str, E> { inner.await }
            },
            quote! {
                /// Words.
                pub fn read<'f>(&'f self, of: &'f Day, with: Option<&'f mut Pack<'f>>)
                -> ::core::pin::Pin<::std::boxed::Box<
                    dyn ::core::future::Future<Output = Result<&'f str, E>> + ::core::marker::Send + 'f
                >> {
                    ::std::boxed::Box::pin(async move {
                        let of = of;
                        let with = with;
                        { inner.await }
                    })
                }
            },
        );
    }

    #[test]
    fn a_pattern_is_taken_apart_inside_and_what_is_not_returned_is_nothing() {
        same(
            quote! { async fn put(mut n: i64, (a, b): (i64, i64), file: impl Read) { } },
            quote! {
                fn put<'f>(n: i64, given_1: (i64, i64), file: impl Read + 'f)
                -> ::core::pin::Pin<::std::boxed::Box<
                    dyn ::core::future::Future<Output = ()> + ::core::marker::Send + 'f
                >> {
                    ::std::boxed::Box::pin(async move {
                        let mut n = n;
                        let (a, b) = given_1;
                        let file = file;
                        { }
                    })
                }
            },
        );
    }

    #[test]
    fn what_cannot_be_boxed_is_refused_with_the_reason() {
        let refused = |written| expanded(written).expect_err("refused").to_string();
        assert!(refused(quote! { fn plain() { } }).contains("only an asynchronous function"));
        assert!(refused(quote! { async fn own<'a>(of: &'a str) { } }).contains("one lifetime"));
        assert!(expanded(quote! { struct NotAFunction; }).is_err());
    }
}
